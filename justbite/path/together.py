"""Independent pieces of work on as many cores as there are, with progress and stop from the caller.

Each core works in a fork of this process: the kernels that the work calls are so short that threads would hand the
interpreter's lock to and fro all the time. A fork has all that the process has, the compiled kernels too; what it makes
is sent back.
"""

import gc
import multiprocessing
import os
import signal
import threading
from collections.abc import Callable, Sequence
from multiprocessing.connection import Connection, wait
from multiprocessing.context import ForkProcess
from multiprocessing.sharedctypes import RawArray
from typing import Any, TypeVar

from justbite.errors import JustBiteError

Result = TypeVar("Result")
Tick = Callable[[float], None]
POLL = 0.02
"""Seconds between two looks at how far the work is."""
ENDED = (
    "A part of the planning was ended from outside, most likely since memory ran out.",
    "Close other programs, or put fewer areas into one operation.",
)
"""What is said when a fork is gone, and what to do."""


def side_by_side(works: Sequence[Callable[[Tick], Result]], progress: Callable[[int, float], None],
                 keep: Callable[[int, Result], None] = lambda index, result: None) -> list[Result]:  # fmt: skip
    """Do all `works`, each given a function to tell its share done (0 to 1); results in their order.

    `progress` is called with the piece that told most lately and the share of all that is done; it may raise to
    stop, and then, or when a piece fails, nothing of the others goes on. Results are pickled on their way. `keep` is
    called with each as soon as it is there.
    """
    cores = min(len(works), len(os.sched_getaffinity(0)))
    # A fork has but the one thread: what another one holds at that moment would stay held in it for ever.
    if cores < 2 or threading.active_count() > 1 or multiprocessing.current_process().daemon:
        return in_turn(works, progress, keep)
    return _forked(works, progress, keep, cores)


def in_turn(works: Sequence[Callable[[Tick], Result]], progress: Callable[[int, float], None],
            keep: Callable[[int, Result], None] = lambda index, result: None) -> list[Result]:  # fmt: skip
    """As `side_by_side`, one after the other in this process."""
    results: list[Result] = []

    def tick_of(k: int) -> Tick:
        return lambda share: progress(k, (k + share) / len(works))

    for k, work in enumerate(works):
        results.append(work(tick_of(k)))
        keep(k, results[k])
    return results


def _forked(works: Sequence[Callable[[Tick], Result]], progress: Callable[[int, float], None],
            keep: Callable[[int, Result], None], cores: int) -> list[Result]:  # fmt: skip
    shares = RawArray("d", len(works))
    results: dict[int, Result] = {}
    waiting = list(range(len(works)))[::-1]
    forks: dict[Connection, ForkProcess] = {}
    try:
        _start(forks, works, shares, cores)
        for line in forks:
            _ask(line, waiting.pop())
        latest, before = 0, list(shares)
        while len(results) < len(works):
            ready = wait(list(forks), timeout=POLL)
            for line in [line for line in forks if line in ready]:
                k, made, fault = _answer(line)
                if fault is not None:
                    raise fault
                results[k], shares[k] = made, 1.0
                keep(k, made)
                if waiting:
                    _ask(line, waiting.pop())
            now = list(shares)
            latest = next((k for k, share in enumerate(now) if share != before[k]), latest)
            before = now
            progress(latest, sum(now) / len(now))
    finally:
        for fork in forks.values():
            fork.kill()
        for line, fork in forks.items():
            fork.join()
            line.close()
    return [results[k] for k in range(len(works))]


def _start(forks: dict[Connection, ForkProcess], works: Sequence[Callable[[Tick], Any]], shares: Any, cores: int
           ) -> None:  # fmt: skip
    """Start a fork for each core; each is in `forks` as soon as it runs."""
    context = multiprocessing.get_context("fork")
    # What is there already the forks' collector leaves alone: to look at it would be to copy it, page by page.
    gc.freeze()
    try:
        for _ in range(cores):
            line, far = context.Pipe()
            fork = context.Process(target=_work_on, args=(works, shares, far, os.getpid()), daemon=True)
            fork.start()
            far.close()
            forks[line] = fork
    finally:
        gc.unfreeze()


def _ask(line: Connection, k: int) -> None:
    try:
        line.send(k)
    except OSError:
        raise JustBiteError(*ENDED) from None


def _answer(line: Connection) -> tuple[int, Any, BaseException | None]:
    try:
        answer: tuple[int, Any, BaseException | None] = line.recv()
    except (EOFError, OSError):
        raise JustBiteError(*ENDED) from None
    return answer


def _work_on(works: Sequence[Callable[[Tick], Any]], shares: Any, line: Connection, parent: int) -> None:
    """In a fork: do the works that are asked for over the line until it ends."""
    # The parent hears what the terminal or the service manager says, and ends its forks.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)

    def tick_of(k: int) -> Tick:
        def tick(share: float) -> None:
            if os.getppid() != parent:
                os._exit(1)
            shares[k] = share

        return tick

    while True:
        try:
            k = line.recv()
        except EOFError:
            return
        made, fault = None, None
        try:
            made = works[k](tick_of(k))
        except Exception as error:
            fault = error
        line.send((k, made, fault))
