"""What an operation took, told by the field that its plan ended with and by the ways beside what still stands."""

import math
from dataclasses import replace

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import LineString, Polygon

from justbite.field.distance import signed_distance
from justbite.field.grid import Grid
from justbite.model.borders import GRID, less, united
from justbite.model.parse import parse_job
from justbite.path.area import make_area
from justbite.path.level import plan_part, ways_into
from justbite.path.swept import _beside, swept_by
from tests.core.test_rest import two_cutters


class SweptTest(SimpleTestCase):
    """What is told to stand in the corners of a pocket, against R^2 (1 - pi/4) each."""

    def test_corners_stand_to_the_tips_of_their_fillets(self) -> None:
        read = parse_job(two_cutters())
        radius = 8.0
        area = make_area(read, read.region("area"), radius, 0.0, 0.01, 0.002, 0.1)
        (part,) = shapely.get_parts(area.locus)
        ((_, _, ways),) = ways_into(area, 1.0, None, 2.0)
        made = plan_part(area, part, ways[0], 2.0, "rough", lambda _: None, outlined=True)
        standing = area.material.difference(made.swept).buffer(0.0)
        for x, y in ((0, 0), (70, 0), (70, 50), (0, 50)):
            corner = standing.intersection(shapely.Point(x, y).buffer(0.9 * radius))
            whole = (1.0 - math.pi / 4) * radius**2
            # And the wall's film of 0.01 mm on this stretch.
            self.assertAlmostEqual(corner.area, whole, delta=0.015 * whole)

    def test_what_is_left_is_told_without_the_allowance(self) -> None:
        """A cleared pocket leaves nothing of what the cutter can take, whatever stays on its walls; one that is not
        gone into leaves all of it: the pocket less the allowance, the fillets and films along its walls."""
        read = parse_job(two_cutters())
        radius, allowance = 8.0, 1.0
        area = make_area(read, read.region("area"), radius, allowance, 0.01, 0.002, 0.1)
        ((_, part, ways),) = ways_into(area, 1.0, None, 2.0)
        made = plan_part(area, part, ways[0], 2.0, "rough", lambda _: None)
        self.assertLess(made.stands, 1e-3 * made.reach)
        none = plan_part(area, part, None, 2.0, "rough", lambda _: None)
        self.assertEqual(none.stands, none.reach)
        self.assertEqual(none.reach, made.reach)
        whole = (70 - 2 * allowance) * (50 - 2 * allowance) - (4 - math.pi) * radius**2
        self.assertLess(none.reach, whole)
        self.assertAlmostEqual(none.reach / whole, 1.0, delta=0.025)

    def test_all_borders_are_exact(self) -> None:
        """Where passes end at a wall a cusp stands on its allowance, a cell wide and thinner than one. Told 0.02 mm
        too low it made 1.1 of a bite of 0.15 mm of a cutter of 3 mm."""
        read = parse_job(two_cutters())
        radius = 8.0
        area = make_area(read, read.region("area"), radius, 0.1, 0.01, 0.002, 0.1)
        ((_, part, ways),) = ways_into(area, 1.0, None, 1.5)
        made = plan_part(area, part, ways[0], 1.5, "rough", lambda _: None, outlined=True)
        lines = [path.entry.points for path in made.paths]
        lines += [piece.points for path in made.paths for piece in path.pieces if piece.kind == "cut"]
        inside = made.swept.boundary.intersection(area.material.buffer(-0.01))
        points = np.vstack([shapely.segmentize(line, 0.05).coords for line in shapely.get_parts(inside)])
        off = shapely.distance(shapely.points(points), shapely.MultiLineString(lines)) - radius
        # No more than was cut is told, and but for chords of arcs, and corners that GEOS leaves out of a way, no less.
        self.assertLess(off.max(), 1e-5)
        self.assertGreater(off.min(), -radius / 1500)
        self.assertGreater(len(points), 2 * (70 + 50) / 0.05)

    def test_where_nothing_stands_the_field_is_taken(self) -> None:
        grid = Grid.over((-10, -10, 10, 10), 0.25)
        plate = shapely.box(-3, -3, 3, 3)
        cleared = np.full((grid.ny, grid.nx), -1.0, dtype=np.float32)
        self.assertTrue(swept_by(cleared, grid, plate, plate, 4.0, []).covers(plate))

    def test_what_stands_is_told_by_the_ways_beside_it(self) -> None:
        """A strip that the field tells as 4 mm wide; a stroke beside it leaves 3.5, one far off is not looked at."""
        grid, plate = Grid.over((-10, -10, 50, 30), 0.25), shapely.box(0, 0, 40, 20)
        cleared = -signed_distance(shapely.box(-10, 4, 50, 30), grid, 10.0)
        beside = np.array([[-5.0, 8.0], [20.0, 8.0], [45.0, 8.0]])
        far = beside + np.array([0.0, 30.0])
        (run,) = _beside(shapely.box(0, 0, 40, 4), [beside, far], 4.5)
        self.assertTrue(LineString(beside).buffer(1e-9).covers(run))
        self.assertLess(run.bounds[0], 0.0)
        self.assertGreater(run.bounds[2], 40.0)
        swept = swept_by(cleared, grid, plate, plate.buffer(5), 4.5, [beside, far])
        self.assertAlmostEqual(plate.difference(swept).area, 40 * 3.5, delta=0.1)

    def test_what_was_too_thin_to_be_work_is_told_by_the_ways_too(self) -> None:
        """Two films that the field takes for air: a stroke goes along one of them, and within half of the other."""
        grid = Grid.over((-10, -10, 50, 30), 0.25)
        films = [shapely.box(0, 0, 40, 0.05), shapely.box(0, 19.9, 40, 20)]
        cleared = np.full((grid.ny, grid.nx), -1.0, dtype=np.float32)
        ways = [np.array([[-5.0, 4.5], [45.0, 4.5]]), np.array([[45.0, 15.45], [-5.0, 15.45]])]
        swept = swept_by(cleared, grid, Polygon(), shapely.box(-10, -10, 50, 30), 4.5, ways, shapely.union_all(films))
        self.assertAlmostEqual(films[0].difference(swept).area, 0.0, delta=1e-6)
        self.assertAlmostEqual(films[1].difference(swept).area, 40 * 0.05, delta=0.01)
        self.assertTrue(swept.covers(shapely.box(0, 0.2, 40, 19.8)))

    def test_a_plan_tells_a_film_as_standing_that_it_does_not_come_to(self) -> None:
        read = parse_job(two_cutters())
        area = make_area(read, read.region("area"), 8.0, 0.0, 0.01, 0.002, 0.1)
        film = shapely.box(69.9, 10, 70, 40)
        work = replace(area, material=area.material.intersection(shapely.box(0, 0, 20, 50)), unseen=film)
        ((own, part, ways),) = ways_into(work, 1.0, None, 2.0)
        made = plan_part(own, part, ways[0], 2.0, "rough", lambda _: None, outlined=True)
        self.assertLess(own.material.intersection(shapely.box(0, 9, 19, 41)).difference(made.swept).area, 1.0)
        self.assertAlmostEqual(film.difference(made.swept).area, film.area, delta=1e-6)

    def test_no_plan_tells_more_as_cut_than_its_cutter_comes_to(self) -> None:
        """On the allowance of a wall there may be what no material is known of, as a wedge across an area that this
        one leads into. Told as cut, it was 1.53 of the bite of a finer cutter there (odd part 2030)."""
        read = parse_job(two_cutters())
        area = make_area(read, read.region("area"), 8.0, 1.5, 0.01, 0.002, 0.1)
        wedge = Polygon([(30, 0.0), (40, 0.0), (40, 1.4)])
        work = replace(area, material=area.material.difference(wedge).difference(shapely.box(0, 0, 20, 50)))
        ((own, part, ways),) = ways_into(work, 1.0, None, 2.0)
        made = plan_part(own, part, ways[0], 2.0, "rough", lambda _: None, outlined=True)
        self.assertAlmostEqual(wedge.intersection(made.swept).area, 0.0, delta=1e-6)
        reach = area.locus.buffer(8.0, quad_segs=256)
        self.assertLess(reach.difference(made.swept).area, 0.001 * reach.area)
        self.assertLess(made.swept.difference(reach).area, 1e-6)

    def test_one_sweep_in_another_is_no_other(self) -> None:
        """What is outside and what is shared are all of it, and the union is the larger. GEOS by itself takes the
        one for lying beside the other, for a hole as thin as a hair and one whose corners differ by their last digit.

        Of odd part 1092, what two operations swept, with all points left out that it does not need to go wrong.
        """
        inner = Polygon([
            (-2.355499183012153, -70.40908564892021), (-17.06202907641769, -36.701862017313246),
            (-16.915595905233182, -36.71061301853079), (9.015820605695392, -27.099398190332202),
        ])  # fmt: skip
        holes = [
            [(-16.73100980289521, -36.45327607471233), (-16.987237414940832, -36.72207126492692),
             (-17.000077405639583, -36.735541037816226)],
            [(2.0480064159093976, -53.28473830686797), (2.0487516932412646, -53.29015680113907),
             (2.051285255264611, -53.28473830686798)],
        ]  # fmt: skip
        outer = Polygon([
            (-3.5513098824317364, -73.9285432407264), (-17.755697082476463, -34.84481266066363),
            (12.648982487527826, -26.01230760684818), (12.796574343130882, -26.021197985224603),
        ], holes)  # fmt: skip
        self.assertTrue(inner.is_valid and outer.is_valid)
        shared = shapely.intersection(inner, outer, grid_size=GRID).area
        self.assertAlmostEqual(less(inner, outer).area + shared, inner.area, places=3)
        # Where nothing is wrong not a digit is changed.
        box = shapely.box(0.1234567891, 0.0, 7.0, 5.0)
        self.assertTrue(
            less(box, shapely.Point(3, 3).buffer(1)).equals_exact(box.difference(shapely.Point(3, 3).buffer(1)))
        )
        self.assertAlmostEqual(united([inner, outer]).area, inner.area + outer.area - shared, places=3)

    def test_nothing_gone_from_an_area_with_a_line_beside_it(self) -> None:
        """GEOS gives up on what such a collection and nothing share: odd part 555 was not planned at all."""
        beside = shapely.GeometryCollection([shapely.box(0, 0, 4, 3), LineString([(4, 1), (6, 1)])])
        for nothing in (Polygon(), shapely.MultiPolygon(), shapely.GeometryCollection()):
            self.assertEqual(less(beside, nothing).area, 12.0)
