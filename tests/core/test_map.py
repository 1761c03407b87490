"""The proof's map: shapes on its rows, bands kept packed, and cutters that come down; by shapely and plain numpy."""

from dataclasses import replace

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import LineString, Point, Polygon

from justbite.model.parse import parse_job
from justbite.nc.reader import read_program
from justbite.proof import replay
from justbite.proof.audit import audit_operation
from justbite.proof.stockmap import Asked, Stock, Tile, _Packed, borders_on_map, onto_map
from tests.core.test_path import job, rectangle
from tests.core.test_proof import HEAD, SETTINGS

SHAPE = Polygon([[3, 2], [38, 4], [30, 17], [22, 9], [8, 19]], [[[10, 6], [14, 6], [12, 9]]]).union(
    Point(36, 16).buffer(2.5)
)


def tile() -> Tile:
    """A map of stock of 40 x 20 x 10 mm, its top at Z0, in one band."""
    data = job(rectangle(40, 20), diameter=8, ae=1.6)
    (whole,) = Stock(parse_job(data), 0.1, 0.002, tile_cells=10**9).tiles()
    return whole


def places(found: Tile) -> np.ndarray:
    """Middles of the cells (ny, nx, 2), in the map's axes."""
    rows, columns = np.indices(found.height.shape)
    return np.stack([found.x0 + columns * found.cell, found.y0 + rows * found.cell], axis=-1)


class SpansTest(SimpleTestCase):
    def test_a_shape_is_the_cells_whose_middles_lie_in_it(self) -> None:
        found = tile()
        turned = shapely.transform(SHAPE, onto_map)
        inside = shapely.contains_xy(turned, *np.moveaxis(places(found), -1, 0))
        self.assertGreater(inside.sum(), 20_000)
        np.testing.assert_array_equal(found.mask(borders_on_map(SHAPE)), inside)
        # A shape that lies beside the map, and none at all.
        self.assertFalse(found.mask(borders_on_map(shapely.box(500, 0, 510, 5))).any())
        self.assertFalse(found.mask(borders_on_map(Polygon())).any())

    def test_lowered_and_counted(self) -> None:
        found = tile()
        inside = found.mask(borders_on_map(SHAPE))
        before = found.height.copy()
        half = int(np.median(np.nonzero(inside)[1]))
        # Half of the map is lower already, and there a share of each cell is lower still.
        found.height[:, :half], found.low[:, :half], found.share[:, :half] = found.units(-6.0), found.units(-7.0), 200
        mixed = found.height.copy()
        self.assertEqual(found.standing(borders_on_map(SHAPE), -6.5)[1], int(inside[:, half:].sum()))
        found.lower(borders_on_map(SHAPE), -4.0)
        np.testing.assert_array_equal(found.height[~inside], mixed[~inside])
        np.testing.assert_array_equal(found.height[inside], np.minimum(mixed, found.units(-4.0))[inside])
        self.assertFalse(found.share[inside].any())
        self.assertTrue((found.share[:, :half][~inside[:, :half]] == 200).all())
        whole, standing = found.standing(borders_on_map(SHAPE), -5.0)
        self.assertEqual(whole, int(inside.sum()))
        self.assertEqual(standing, int((inside & (found.height > found.units(-5.0))).sum()))
        self.assertLess(standing, int((inside & (before > found.units(-5.0))).sum()))

    def test_a_band_comes_back_as_it_was_packed(self) -> None:
        found = tile()
        random = np.random.default_rng(3)
        found.lower(borders_on_map(SHAPE), -3.0)
        spots = random.integers(0, found.height.size, 500)
        found.share.ravel()[spots], found.low.ravel()[spots] = 77, found.units(-5.5)
        found.height[40:60, 100:130] = random.integers(-30000, 30000, (20, 30))
        height, low, share = _Packed.of(found).arrays(found.height.shape)  # type: ignore[arg-type]
        np.testing.assert_array_equal(height, found.height)
        np.testing.assert_array_equal(share, found.share)
        np.testing.assert_array_equal(low[share > 0], found.low[share > 0])
        # What is all alike is one stretch.
        self.assertEqual(len(_Packed.of(replace(found, height=np.full((3, 5), 4, np.int16))).heights), 1)


class ComingDownTest(SimpleTestCase):
    """A cutter that comes down meets all of its disc; whole cells of it go at once, the others one by one."""

    def swept(self, moves: list[tuple[float, float, float, float, float, float]]) -> tuple[Tile, float]:
        """The map after straight moves (from x, y, z, to x, y, z; in its axes), and the volume that was told."""
        found = tile()
        told = 0.0
        for ax, ay, az, bx, by, bz in moves:
            volume, _ = replay._sweep(
                found.height, found.low, found.share, found.x0, found.y0, found.cell, found.unit,
                ax, ay, found.units(az), bx, by, found.units(bz), 4.0,
            )  # fmt: skip
            told += volume
        return found, told

    def test_a_ramp_takes_what_lies_over_it(self) -> None:
        middle = onto_map(np.array([20.0, 10.0]))
        way = np.column_stack([middle[0] + np.linspace(-6, 6, 61), np.full(61, middle[1]), np.linspace(0, -3, 61)])
        found, told = self.swept([(*a, *b) for a, b in zip(way[:-1].tolist(), way[1:].tolist(), strict=True)])
        # By numpy: each cell stands as low as the lowest disc that it lies in.
        spots = places(found)
        under = np.full(found.height.shape, np.inf)
        for x, y, z in way[1:]:
            inside = np.hypot(*np.moveaxis(spots - (x, y), -1, 0)) <= 4.0
            under[inside] = np.minimum(under[inside], z)
        taken = float(-under[np.isfinite(under)].sum()) * found.cell**2
        self.assertAlmostEqual(told, taken, delta=0.004 * taken)
        whole = LineString(way[[0, -1], :2]).buffer(3.85)
        here = shapely.contains_xy(whole, *np.moveaxis(spots, -1, 0))
        off = (found.tops()[here].astype(float) - np.round((under[here] - found.z0) / found.unit)) * found.unit
        # A cell at the rim of a disc goes down in part, and is the mean of its parts.
        self.assertLess(np.quantile(abs(off), 0.95), 0.001)

    def test_down_again_over_parts_of_cells_and_where_nothing_stands(self) -> None:
        x, y = onto_map(np.array([20.0, 10.0]))
        disc = np.pi * 4.0**2
        found, told = self.swept([(x, y, 0, x, y, -1), (x + 0.33, y, 0, x + 0.33, y, -1)])
        lens = Point(0, 0).buffer(4, quad_segs=256).union(Point(0.33, 0).buffer(4, quad_segs=256)).area
        self.assertAlmostEqual(told, lens, delta=0.003 * disc)
        # All of it one deeper, the parts at its rim included; then to where it stands already.
        again, more = self.swept(
            [(x, y, 0, x, y, -1), (x + 0.33, y, 0, x + 0.33, y, -1), (x, y, -1, x, y, -2), (x, y, 0, x, y, -1.5)]
        )
        self.assertAlmostEqual(more - told, disc, delta=0.003 * disc)
        self.assertLess(int(found.height.min()) - int(again.height.min()), 1.01 / found.unit)

    def test_a_rapid_straight_down_into_stock_tells_how_deep(self) -> None:
        found = tile()
        start = onto_map(np.array([20.0, 10.0, 5.0]))
        ends = np.array([start - (0, 0, 8), start])
        run = replay.run(
            found.packed(), start, np.zeros(2, np.uint8), ends, np.zeros((2, 2)), np.zeros(2), 4.0, 0.2, 0.5
        )
        self.assertAlmostEqual(float(run.rapids[0]), 3.0, delta=0.001)
        # Up again nothing is met, and nothing is taken.
        self.assertEqual(float(run.rapids[1]), 0.0)
        self.assertAlmostEqual(float(run.steps.volume.sum()), 3.0 * np.pi * 16, delta=0.5)


class FinenessTest(SimpleTestCase):
    """A cutter of 10 mm takes a slot, then one of 4 mm, with a bite of 0.3 mm, its side at one end."""

    slot = "G0 X15 Y20\nG1 Z-8 F500\nG1 X45 F900\nG0 Z10\n"
    side = "G0 X40 Y23\nG1 Z-8 F900\nG1 Y23.3\nG1 X46 F200\nG1 Y23\nG0 Z10\n"

    def setUp(self) -> None:
        data = job(rectangle(60, 45))
        data["tools"].append({**data["tools"][0], "number": 2, "diameter": 4})
        data["operations"].append({**data["operations"][0], "name": "again", "tool": 2})
        self.job = parse_job(data)
        self.moves = [read_program(HEAD + code) for code in (self.slot, self.side)]
        self.asked = [Asked(self.moves[0], 5.0, 0.08), Asked(self.moves[1], 2.0, 0.01)]

    def audits(self, stock: Stock) -> list[dict[str, float]]:
        """Of both cutters what is told, and of the second how far its side cut scatters."""
        names = ("removed", "most_depth", "depth_999", "cut_length", "left_over", "rapid", "drop")
        found = [
            audit_operation(stock, self.job, o, m, ae, 8.0, SETTINGS)
            for o, m, ae in zip(self.job.operations, self.moves, (10.0, 0.3), strict=True)
        ]
        place = found[1].trace.position
        along = (place[:, 1] > 23.29) & (place[:, 0] > 41.5) & (place[:, 0] < 43.5)
        scatter = float(np.abs(found[1].trace.depth[along] / 0.3 - 1.0).max())
        return [{name: getattr(one, name) for name in names} | {"scatter": scatter} for one in found]

    def test_a_map_is_fine_where_a_small_bite_works_and_tells_what_one_does_that_is_so_all_over(self) -> None:
        mixed = Stock(self.job, 0.08, 0.002, tile_cells=40_000, asked=self.asked)
        fine = Stock(self.job, 0.01, 0.002)
        self.assertLess(sum(mixed.sizes()), 0.15 * sum(fine.sizes()))
        for one, other in zip(self.audits(mixed), self.audits(fine), strict=True):
            for name, value in other.items():
                self.assertAlmostEqual(one[name], value, delta=0.004 * abs(value) + 2e-3, msg=name)
            self.assertLess(one["scatter"], 0.01)
        # All of it only as fine as the wide cutter asks: that tells a small bite badly.
        self.assertGreater(self.audits(Stock(self.job, 0.08, 0.002))[1]["scatter"], 0.03)

    def test_every_place_that_a_cutter_is_fed_to_is_as_fine_as_it_asks(self) -> None:
        mixed = Stock(self.job, 0.08, 0.002, tile_cells=40_000, asked=self.asked)
        cells = np.array([tile.cell for tile in mixed.tiles()])
        bounds = np.array([mixed.bounds(number) for number in range(mixed.count)])
        self.assertGreater((cells > 0.07).sum(), (cells < 0.0101).sum())
        angles = np.linspace(0, 2 * np.pi, 90)
        for x, y in ((40, 23), (40, 23.3), (43.1, 23.3), (46, 23.3), (46, 23)):
            for spot in onto_map(np.column_stack([x + 2 * np.cos(angles), y + 2 * np.sin(angles)])):
                left, right, low, high = bounds.T
                (at,) = np.nonzero((left <= spot[0]) & (spot[0] < right) & (low <= spot[1]) & (spot[1] < high))[0]
                self.assertLess(cells[at], 0.0101)
        # Tiles lie side by side, and no map is larger than it may be.
        self.assertAlmostEqual(float(((right - left) * (high - low)).sum()), float(np.prod(mixed._size)), places=6)
        most = sum(mixed.sizes()) // 4
        few = Stock(self.job, 0.08, 0.002, most, tile_cells=40_000, asked=self.asked)
        self.assertLess(sum(few.sizes()), 1.1 * most)
        self.assertLess(min(tile.cell for tile in few.tiles()), 0.2 * max(tile.cell for tile in few.tiles()))
