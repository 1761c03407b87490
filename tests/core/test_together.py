"""Work side by side: on two cores at once, in order, stopped and failing as one."""

import multiprocessing
import os
import signal
import sys
import threading
import time
from collections.abc import Callable
from functools import partial
from unittest.mock import patch

from django.test import SimpleTestCase
from numba.core.dispatcher import Dispatcher

from justbite.bench import made_areas, measured
from justbite.errors import JustBiteError, PlannerError, StoppedError, working_on
from justbite.field import aside
from justbite.model.parse import parse_job
from justbite.path import remembered
from justbite.path.together import in_turn, side_by_side
from justbite.path.warm import make_ready
from justbite.plan import plan
from tests.core.test_path import job


class ForkTest(SimpleTestCase):
    def setUp(self) -> None:
        if multiprocessing.current_process().daemon:
            self.skipTest("The workers of a parallel test run may have no forks: all would be done in turn.")


class SideBySideTest(ForkTest):
    def setUp(self) -> None:
        super().setUp()
        # Another thread would keep `side_by_side` from forking, one that a browser's driver left, say: these tests have
        # a run of their own (Makefile). Told here, as below it would be seen as something else.
        self.assertEqual([thread.name for thread in threading.enumerate()], [threading.current_thread().name])
        # Two forks on one core too.
        here = patch("justbite.path.together.os.sched_getaffinity", lambda pid: {0, 1})
        here.start()
        self.addCleanup(here.stop)

    def test_two_at_once_in_order_with_progress_from_here(self) -> None:
        """Done one after the other they would never meet. Neither ends before half of all was told."""
        context = multiprocessing.get_context("fork")
        meet, half = context.Barrier(2, timeout=20), context.Event()
        told: list[float] = []
        here = os.getpid()

        def work(k: int) -> Callable[[Callable[[float], None]], tuple[int, bool]]:
            def run(tick: Callable[[float], None]) -> tuple[int, bool]:
                tick(0.5)
                meet.wait()
                self.assertTrue(half.wait(timeout=20), "half of all was never told")
                return k, os.getpid() == here

            return run

        def progress(k: int, share: float) -> None:
            told.append(share)
            if share == 0.5:
                half.set()

        self.assertEqual(side_by_side([work(1), work(2)], progress), [(1, False), (2, False)])
        self.assertLessEqual(max(told), 1.0)
        self.assertEqual(told, sorted(told))

    def test_more_works_than_cores_and_one_alone(self) -> None:
        def work(k: int, tick: Callable[[float], None]) -> int:
            tick(0.5)
            return k

        told: list[float] = []
        self.assertEqual(
            side_by_side([partial(work, k) for k in range(9)], lambda k, share: told.append(share)), list(range(9))
        )
        self.assertEqual(side_by_side([partial(work, 7)], lambda k, share: told.append(share)), [7])
        self.assertEqual(told[-1], 0.5)

    def test_beside_another_thread_no_fork_is_made(self) -> None:
        """What that thread holds would stay held in the fork for ever."""
        end = threading.Event()
        other = threading.Thread(target=end.wait)
        other.start()
        try:
            told: list[float] = []

            def work(tick: Callable[[float], None]) -> int:
                tick(0.5)
                return os.getpid()

            made = side_by_side([work, work], lambda k, share: told.append(share))
            self.assertEqual(made, [os.getpid()] * 2)
            self.assertEqual(told, [0.25, 0.75])
        finally:
            end.set()
            other.join()

    def test_a_stop_and_a_fault_end_all(self) -> None:
        def endless(tick: Callable[[float], None]) -> None:
            end = time.monotonic() + 60
            while time.monotonic() < end:
                tick(0.1)
                time.sleep(0.01)
            raise AssertionError("went on to its end")

        def stop(k: int, share: float) -> None:
            raise StoppedError("Planning was stopped.")

        def broken(tick: Callable[[float], None]) -> None:
            raise ValueError("broken")

        def killed(tick: Callable[[float], None]) -> None:
            os.kill(os.getpid(), signal.SIGKILL)

        with self.assertRaises(StoppedError):
            side_by_side([endless, endless], stop)
        for fault, sentence in ((broken, "broken"), (killed, "ended from outside")):
            with self.assertRaisesRegex((ValueError, JustBiteError), sentence):
                side_by_side([endless, fault], lambda k, share: None)
        self.assertEqual(multiprocessing.active_children(), [])

    def test_where_it_broke_comes_out_of_a_fork(self) -> None:
        def broken(_tick: Callable[[float], None]) -> None:
            with working_on("seat", "rough"):
                raise ValueError("borders cross")

        with self.assertRaisesRegex(PlannerError, 'area "seat" of "rough"') as raised:
            side_by_side([broken, broken], lambda k, share: None)
        (note,) = raised.exception.__notes__
        self.assertIn("in broken", note)
        self.assertIn("ValueError: borders cross", note)


class ReadyTest(ForkTest):
    def test_forks_find_all_kernels_loaded(self) -> None:
        """What a plan's parts call is loaded before: else each fork would read it from disk, which took longer."""
        # Compiled apart: a kernel just compiled has those that it calls ready too, one read from disk has not.
        apart = multiprocessing.get_context("fork").Process(target=plan_some)
        apart.start()
        apart.join()
        self.assertEqual(apart.exitcode, 0)
        before = loaded()
        make_ready()
        ready = loaded()
        self.assertGreater(sum(ready.values()), 0)
        plan_some()
        after = {name: count for name, count in loaded().items() if count != max(ready[name], before[name])}
        # What is called in the process itself alone.
        here = {"fit", "_times", "stamp", "radial_depth", "run", "run_on", "walk", "spans", "fill", "lower", "count"}
        here |= {"extents", "come_near"}
        self.assertEqual({name.rsplit(".", 1)[1] for name in after} - here, set())


def plan_some() -> None:
    """Plan and prove a few areas in this process alone."""
    with patch.object(remembered, "side_by_side", in_turn):
        for data in made_areas(range(19, 23)):
            measured(data, 1e9)
        # And a room with an arm that is ramped into.
        arm = [[0, 0], [30, 0], [30, 9], [44, 9], [44, 20.2], [30, 20.2], [30, 30], [0, 30]]
        plan(parse_job(job(arm)))
        # With fields as large ones are held.
        with patch.object(aside, "LARGE", 1000):
            measured(data, 1e9)


def loaded() -> dict[str, int]:
    """How many signatures of each kernel are ready in this process."""
    kernels = [v for name, m in list(sys.modules.items()) if name.startswith("justbite.") for v in vars(m).values()]
    return {
        f"{k.py_func.__module__}.{k.py_func.__name__}": len(k.signatures) for k in kernels if isinstance(k, Dispatcher)
    }
