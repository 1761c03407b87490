"""The app served over data of its own, and what each story does in it."""

import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from typing import Any

from playwright.sync_api import Locator, Page, expect

ROOT = Path(__file__).parents[2]
FLAGS = [f"--{flag}" for flag in ("use-gl=angle", "use-angle=gl-egl", "ignore-gpu-blocklist", "disable-quic",
         "no-first-run", "disable-background-networking", "disable-component-update", "disable-sync")]  # fmt: skip
PORT = 8477
PLANNED = 120_000
"""Milliseconds that planning may take here; the kernels may have to be compiled first."""
READ = 60_000
"""Milliseconds that reading a part may take here."""


@cache
def _demo() -> tempfile.TemporaryDirectory[str]:
    """Data with the demo loaded, which reads three parts: made once for all stories."""
    folder = tempfile.TemporaryDirectory()
    environment = {**os.environ, "JUSTBITE_DATA": folder.name}
    for command in (["migrate", "--verbosity", "0"], ["load_demo"]):
        subprocess.run([sys.executable, "manage.py", *command], cwd=ROOT, env=environment, check=True,
                       capture_output=True)  # fmt: skip
    return folder


@contextmanager
def served() -> Iterator[str]:
    """The app as `make demo` serves it, web and worker, over data of its own."""
    with tempfile.TemporaryDirectory() as folder:
        shutil.copytree(_demo().name, folder, dirs_exist_ok=True)
        environment = {**os.environ, "JUSTBITE_DATA": folder}
        serve = [sys.executable, "manage.py", "serve", "--port", str(PORT)]
        process = subprocess.Popen(serve, cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        address = process.stdout.readline().split(" at ")[1].split()[0]
        try:
            yield address
        finally:
            process.terminate()
            process.wait(20)


def planned(page: Page, address: str, document: dict[str, Any]) -> Locator:
    """Keep a job, open its bench and plan it; the button that plans it again."""
    made = page.request.post(f"{address}api/jobs", data={"document": document}).json()
    page.goto(f"{address}#/job/{made['id']}")
    plan = page.get_by_role("button", name="Plan", exact=True)
    plan.click()
    expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=PLANNED)
    return plan


def seconds(tab: Locator) -> int:
    """How long an operation lasts, as its tab says."""
    told = re.search(r"(\d+):(\d+)", tab.inner_text())
    assert told is not None
    return 60 * int(told[1]) + int(told[2])
