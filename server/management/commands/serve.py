"""`manage.py serve`: the web server and the planning worker together, until Ctrl+C."""

import contextlib
import os
import signal
import socket
import subprocess
import sys
import time
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

# Has the planner's kernels compiled while the first part is looked at: it takes minutes once on a machine.
READY = ["-c", "import os; os.nice(19); from justbite.path.warm import make_ready; make_ready()"]
WORKER = ["db_worker", "--interval", "0.1", "--queue-name", "*", "--no-reload", "--no-startup-delay"]


class Command(BaseCommand):
    help = "Serve the app and run the worker that plans."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--host", default="127.0.0.1")
        parser.add_argument("--port", type=int, default=8321)

    def handle(self, *args: Any, **options: Any) -> None:
        host, port = options["host"], _free_port(options["host"], options["port"])
        python, manage = sys.executable, os.path.abspath(sys.argv[0])
        web = [python, "-m", "uvicorn", "server.asgi:application", "--host", host, "--port", str(port),
               "--log-level", "warning", "--lifespan", "off"]  # fmt: skip
        commands = {"web": web, "worker": [python, manage, *WORKER]}
        running = {name: subprocess.Popen(command) for name, command in commands.items()}
        ready = subprocess.Popen([python, *READY])
        ending = False

        def end(*_: Any) -> None:
            nonlocal ending
            ending = True

        signal.signal(signal.SIGTERM, end)
        signal.signal(signal.SIGINT, end)
        _wait_for(host, port)
        self.stdout.write(f"Just Bite is at http://{host}:{port}/  (Ctrl+C ends it)")
        self.stdout.flush()
        while not ending:
            time.sleep(0.3)
            for name, process in list(running.items()):
                if process.poll() is not None and not ending:
                    self.stderr.write(f"The {name} process ended; starting it again.")
                    running[name] = subprocess.Popen(commands[name])
                    time.sleep(1.0)
        ended = [*running.values(), ready]
        for process in ended:
            with contextlib.suppress(ProcessLookupError):
                process.terminate()
        for process in ended:
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                process.kill()


def _wait_for(host: str, port: int, most: float = 60.0) -> None:
    """Until something answers at the port, or `most` seconds are over."""
    end = time.monotonic() + most
    while time.monotonic() < end:
        with socket.socket() as probe:
            if probe.connect_ex((host, port)) == 0:
                return
        time.sleep(0.1)


def _free_port(host: str, wished: int) -> int:
    """The wished port, or the next that is free."""
    for port in range(wished, wished + 50):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, port))
            except OSError:
                continue
            return port
    return wished
