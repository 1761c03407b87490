"""A second look at what a coarse map tells: against the same program on the map that the bite asks for."""

from unittest import mock

import numpy as np
from django.test import SimpleTestCase

from justbite import tolerances
from justbite.bench import job_of, on_machine
from justbite.model.job import Job
from justbite.model.moves import Moves
from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.plan import plan
from justbite.prepare import bite_of
from justbite.proof import again
from justbite.proof.audit import Audit
from justbite.proof.stockmap import Stock, onto_map
from justbite.proving import prove

PLATE = job_of("plate", [[0, 0], [30, 0], [30, 20], [0, 20]], [], [], 6.0, 0.05)


def proved(job: Job, moves: Moves, cells: float, beyond: float = again.BEYOND) -> list[Audit]:
    """What is told of each operation on a map of so many cells."""
    bites = [bite_of(job, o) for o in job.operations]
    with mock.patch.object(tolerances, "PROOF_MOST_CELLS", cells), mock.patch.object(again, "BEYOND", beyond):
        return prove(job, bites, moves, lambda _what, _share: None).audits


class AgainTest(SimpleTestCase):
    def test_what_cells_alone_tell_is_told_no_more(self) -> None:
        job = on_machine(PLATE, 5000)
        moves = read_program(plan(job).program)
        (fine,), (coarse,), (own,) = (
            proved(job, moves, 1e9), proved(job, moves, 1e6, np.inf), proved(job, moves, 1e6)
        )  # fmt: skip
        target = 0.3
        self.assertGreater(coarse.most_depth, 1.1 * target)
        self.assertLess(fine.most_depth, 1.02 * target)
        self.assertAlmostEqual(own.most_depth / target, fine.most_depth / target, delta=0.002)
        self.assertAlmostEqual(own.depth_999 / target, fine.depth_999 / target, delta=0.002)
        self.assertLess(float(own.trace.depth[~own.trace.entry].max()), 1.02 * target)

    def test_what_was_cut_before_is_gone_there_too(self) -> None:
        """A rest: beside corners that a larger cutter left nothing else stands."""
        data = {**PLATE, "tools": [{**PLATE["tools"][0], "number": 2, "diameter": 10.0}, PLATE["tools"][0]]}
        rough = {**data["operations"][0], "name": "first", "tool": 2, "bite": {"share": 0.1}}
        data["operations"] = [rough, {**data["operations"][0], "bite": {"ae": 0.6}}]
        job = parse_job(data)
        moves = read_program(plan(job).program)
        fine, coarse, own = proved(job, moves, 1e9), proved(job, moves, 1e5, np.inf), proved(job, moves, 1e5)
        for k, target in enumerate((1.0, 0.6)):
            self.assertGreater(coarse[k].most_depth, again.BEYOND * target)
            self.assertAlmostEqual(own[k].most_depth / target, fine[k].most_depth / target, delta=0.004)

    def test_only_so_many_tiles_those_of_the_worst_places(self) -> None:
        job = on_machine(PLATE, 5000)
        moves = read_program(plan(job).program)
        (coarse,) = proved(job, moves, 3e6, np.inf)
        with mock.patch.object(again, "MOST_TILES", 1):
            (own,) = proved(job, moves, 3e6)
        self.assertLess(own.most_depth, coarse.most_depth)
        self.assertGreater(own.depth_999, 1.05 * 0.3)


class TilesTest(SimpleTestCase):
    def test_tiles_about_places(self) -> None:
        job = on_machine(PLATE, 5000)
        stock = Stock(job, 0.05, 0.002, tile_cells=10_000)
        spots = onto_map(np.array([[4.0, 5.0], [26.0, 15.0]]))
        reach = 1.3
        tiles = stock.about(spots, reach, 1000)
        boxes = np.array([stock.bounds(k) for k in range(stock.count)])
        near = [
            (boxes[:, 0] <= x + reach)
            & (boxes[:, 1] > x - reach)
            & (boxes[:, 2] <= y + reach)
            & (boxes[:, 3] > y - reach)
            for x, y in spots
        ]
        np.testing.assert_array_equal(tiles.ravel(), near[0] | near[1])
        np.testing.assert_array_equal(stock.about(spots, reach, 1).ravel(), near[0])
        self.assertTrue(stock.held_by(tiles, spots, reach).all())
        self.assertFalse(stock.held_by(tiles, spots, reach + 5.0).any())
        self.assertEqual(stock.held_by(stock.about(spots, reach, 1), spots, reach).tolist(), [True, False])
