"""Independent pieces of work on as many cores as there are, with progress and stop from the caller's thread."""

import os
from collections.abc import Callable
from concurrent.futures import FIRST_EXCEPTION, ThreadPoolExecutor, wait
from typing import TypeVar

from justbite.errors import StoppedError

Result = TypeVar("Result")
POLL = 0.02
"""Seconds between two looks at how far the work is."""


def side_by_side(
    works: list[Callable[[Callable[[float], None]], Result]], progress: Callable[[int, float], None]
) -> list[Result]:
    """Do all `works`, each given a function to tell its share done (0 to 1); results in their order.

    `progress` is called in the caller's thread alone, with the piece that told most lately and the share of all
    that is done; it may raise to stop, and then, or when a piece fails, the others are stopped too. The
    kernels let go of the interpreter, so threads do.
    """
    if len(works) == 1:
        return [works[0](lambda share: progress(0, share))]
    shares = [0.0] * len(works)
    latest = [0]
    stop = [False]

    def run(k: int) -> Result:
        def tick(share: float) -> None:
            if stop[0]:
                raise StoppedError("Planning was stopped.")
            shares[k] = share
            latest[0] = k

        done = works[k](tick)
        shares[k] = 1.0
        return done

    with ThreadPoolExecutor(max_workers=min(len(works), os.cpu_count() or 1)) as pool:
        futures = [pool.submit(run, k) for k in range(len(works))]
        try:
            while True:
                left = wait(futures, timeout=POLL, return_when=FIRST_EXCEPTION).not_done
                if not left or any(f.done() and f.exception() for f in futures):
                    break
                progress(latest[0], sum(shares) / len(shares))
        finally:
            if not all(f.done() for f in futures):
                stop[0] = True
                for future in futures:
                    future.cancel()
        failed = next((e for f in futures if f.done() and not f.cancelled() and (e := f.exception())), None)
        if failed is not None:
            raise failed
        return [f.result() for f in futures]
