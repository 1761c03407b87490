"""Level floors: what is one, where it is open, and how far it goes; on solids and on meshes of them."""

import math
from typing import Any

import numpy as np
import shapely
from django.test import SimpleTestCase
from shapely.geometry import Polygon

from justbite.layout import Layout, region_of
from justbite.model.feature import Feature
from justbite.model.shapes import free_space, open_chains, region_shape
from justbite.part.floors import level_floors
from justbite.part.margin import Around, _nearer, reached_out
from justbite.part.named import STEP
from justbite.solids import block, cone, cut, cylinder, joined, with_edges
from tests.core.solids import laid

CHORD = 0.005


def shape_of(feature: Feature) -> Polygon:
    made = region_shape(region_of(feature), CHORD)
    assert isinstance(made, Polygon)
    return made


def at(layout: Layout, z: float) -> list[Feature]:
    """The features with their floor at so much below the stock's top."""
    return [f for f in layout.features.features if abs(f.bottom - z) < 1e-6]


class BordersTest(SimpleTestCase):
    """A disc of 80 mm, 30 thick, with a step of 10 mm across it and a groove that leads out of the step."""

    @staticmethod
    def disc() -> Any:
        return cut(cylinder(40, 40, 40, -30, 0), block((55, -1, -10), (81, 81, 1)), block((30, 33, -20), (81, 47, 1)))

    def test_floors_of_a_round_part_reach_out_to_the_stock(self) -> None:
        """The groove by closed form; the step without hairs."""
        for stl in (False, True):
            layout = laid(self.disc(), 5.0, stl)
            (groove,) = at(layout, -20.0)
            inside = 14.0 * (45 - 30) + self.beyond(45.0, 14.0)
            self.assertAlmostEqual(groove.area, inside, delta=0.5)
            self.assertEqual(len(groove.open_edges), 1)
            for step in at(layout, -10.0):
                chains = open_chains(region_of(step), CHORD)
                length = sum(float(shapely.LineString(c).length) for c in chains)
                self.assertGreater(length, 30.0)
                # Few corners: no hairs where the chords of the part's outline and of its floors differ.
                self.assertLessEqual(len(step.outline), 12)

    def test_two_floors_that_meet_at_the_outline_part_the_stock_before_it(self) -> None:
        """Neither a fin between their strips nor one over the other, in the corners of the stock too."""
        part = cut(cylinder(40, 40, 40, -30, 0), block((30, -1, -10), (81, 50, 1)), block((30, 50, -20), (81, 81, 1)))
        for stl in (False, True):
            layout = laid(part, 8.0, stl)
            (high,), (low,) = at(layout, -10.0), at(layout, -20.0)
            one, other = shape_of(high), shape_of(low)
            self.assertLess(one.intersection(other).area, 0.3)
            # Where they part, at Y 58 of the job, what lies between them is closed again.
            both = shapely.union_all([one, other])
            self.assertLess(both.buffer(0.5).buffer(-0.5).area - both.area, 0.6)

    @staticmethod
    def beyond(x: float, width: float) -> float:
        """Of a band of that width about y = 40 what lies between x and the stock's border at 85, by its two sides:
        from where it leaves the disc they run along the disc's radius."""
        half = width / 2
        leaves = 40 + math.sqrt(40.0**2 - half**2)
        slope = half / (leaves - 40)
        return (leaves - x) * width + (85 - leaves) * (width + slope * (85 - leaves))

    def test_a_strip_that_touches_the_stock_along_a_line(self) -> None:
        """Numbers of a part whose layout stopped: the strip before its edge left a line at the stock's border."""
        outline = [(70.851933, 4), (70.851933, 42.525178), (50.796353, 68.20863), (10.685193, 68.20863),
                   (9.336016, 55.250322), (7.90685, 41.523748), (4, 4)]  # fmt: skip
        around = Around(shapely.box(0, 0, 74.85193337149, 72.208630395766), Polygon(outline), 22.421669851772027)
        points = np.array(
            [(9.336016475680001, 55.25032177735), (7.906850363209, 41.523748129897), (40, 41.52), (40, 55.25)]
        )
        floor, open_ = Polygon(points), np.array([True, False, False, False])
        shape, opened = reached_out(floor, points, open_, 0.012, Polygon(), around)
        # 13.8 mm long, 9.3 to 7.9 mm to the stock's border, straight out.
        self.assertAlmostEqual(shape.area - floor.area, 13.8 * 8.65, delta=2.0)
        self.assertAlmostEqual(opened.length, 2 * 13.8, delta=0.2)

    def test_places_in_rows_are_shared_out(self) -> None:
        """The lines of a bay (odd part 905): cells of 732 places crossed themselves in their last digits."""
        turns = np.radians(np.linspace(0.0, 90.0, 17))
        arc = np.column_stack([np.sin(turns), np.cos(turns)])
        low = [(15.2, 4.6), *((6.6, 6.7) - 2.1 * arc), (4.5, 9.4), (3.6, 9.4)]
        high = [(3.6, 27.2), (4.5, 27.2), *((6.6, 39.0) + 2.1 * arc[::-1] * (-1, 1)), (15.2, 41.1)]
        own = shapely.MultiLineString([[*low, *high], [(15.2, 53.8), (1.5, 53.8), (1.5, 1.5), (15.2, 1.5)]])
        rivals = shapely.MultiLineString([
            [(15.488272871767613, 4.6), (15.202, 4.6)], [(15.2, 4.598), (15.2, 3.9904982221469787)]
        ])  # fmt: skip
        step = shapely.box(3.6, 9.4, 4.5, 27.2)
        self.assertAlmostEqual(_nearer(step, own, rivals).area, step.area, places=6)
        self.assertEqual(_nearer(step, rivals, own).area, 0.0)

    def test_open_edges_lead_only_where_nothing_stands(self) -> None:
        for stl in (False, True):
            for margin in (0.0, 5.0):
                layout = laid(self.disc(), margin, stl)
                assert layout.model is not None
                for feature in layout.features.features:
                    region = region_of(feature)
                    beyond = free_space(region, 1.0, CHORD).difference(shape_of(feature))
                    solid = layout.model.shadow(feature.bottom + 0.01).buffer(-0.05)
                    self.assertLess(beyond.intersection(solid).area, 0.05, f"{feature.name}, {margin}, {stl}")

    def test_no_wall_is_told_open_where_chords_cross(self) -> None:
        """Two round pockets that cross: the floor of one is open along the arc of the other, and nowhere else."""
        part = cut(block((0, 0, -30), (90, 60, 0)), cylinder(35, 30, 20, -10, 1), cylinder(55, 30, 18, -20, 1))
        for stl in (False, True):
            (shallow,) = at(laid(part, stl=stl), -10.0)
            for chain in open_chains(region_of(shallow), CHORD):
                off = np.abs(np.hypot(*(chain - [55, 30]).T) - 18)
                self.assertLess(off.max(), 0.05)
            crossing = 2 * 18 * math.acos((55 - 35 + (18**2 - 20**2) / (55 - 35)) / (2 * 18))
            length = sum(float(shapely.LineString(c).length) for c in open_chains(region_of(shallow), CHORD))
            self.assertAlmostEqual(length, crossing, delta=0.3)

    def test_each_piece_that_is_seen_of_a_floor(self) -> None:
        """A bridge over the middle of a channel leaves two floors."""
        part = cut(block((0, 0, -30), (90, 40, 0)), block((10, 10, -20), (80, 30, 1)))
        part = joined(part, block((40, 5, -8), (50, 35, 0)))
        found = at(laid(part), -20.0)
        self.assertEqual(sorted(round(f.area) for f in found), [600, 600])
        self.assertEqual([f.open_edges for f in found], [(), ()])


class RimTest(SimpleTestCase):
    def test_a_step_goes_on_over_its_chamfer(self) -> None:
        for rounded in (False, True):
            step = cut(block((0, 0, -30), (100, 60, 0)), block((-1, -1, -12), (30, 61, 1)))
            part = with_edges(step, 1.0, lambda x, y, z: abs(z + 12) < 1e-6 and x < 29.9, rounded)
            for margin in (0.0, 2.0):
                (own,) = at(laid(part, margin), -12.0)
                self.assertAlmostEqual(own.area, (30 + margin) * (60 + 2 * margin), delta=0.05)
                self.assertEqual(len(own.open_edges), 3)

    def test_a_boss_goes_on_over_its_chamfer_to_the_floor_around_it(self) -> None:
        plate = joined(block((0, 0, -30), (80, 60, -12)), cylinder(40, 30, 15, -12, -2))
        part = with_edges(plate, 0.8, lambda x, y, z: abs(z + 2) < 1e-6)
        layout = laid(joined(part, block((0, 0, -30), (5, 5, 0))))
        (boss,) = at(layout, -2.0)
        self.assertAlmostEqual(boss.area, math.pi * 15.0**2, delta=0.5)
        self.assertEqual(len(boss.open_edges), len(boss.outline))
        (around,) = at(layout, -12.0)
        self.assertAlmostEqual(around.area, 80 * 60 - 25 - math.pi * 15.0**2, delta=0.5)

    @staticmethod
    def three_floors() -> Any:
        """Round where a bore of 40 mm comes; beside it a block of 20 x 30 mm stands."""
        low = cut(block((0, 0, -40), (90, 60, 0)), block((-1, -1, -6), (35, 61, 1)), block((55, -1, -6), (91, 61, 1)))
        return cut(low, block((34, -1, -12), (56, 30, 1)))

    def test_a_slope_below_several_floors_is_parted_between_them(self) -> None:
        """A bore narrower by 1 mm at its foot, over 10 mm: no fillet, and each floor goes on over its own stretch."""
        bore = joined(cone(45, 30, (19, 20), -25, -15), cylinder(45, 30, 20, -15, 1))
        layout = laid(cut(self.three_floors(), bore))
        shapes = [shape_of(f) for z in (-6.0, -12.0, -25.0) for f in at(layout, z)]
        self.assertEqual(len(shapes), 4)
        for k, one in enumerate(shapes):
            for other in shapes[k + 1 :]:
                self.assertLess(one.intersection(other).area, 0.05)
        # All but the block that stands beside the bore, and the slope below it.
        wall = 20.0 * 30.0 - self.of_disc(20.0, 10.0)
        slope = math.asin(10.0 / 20.0) * (20.0**2 - 19.0**2)
        self.assertAlmostEqual(shapely.union_all(shapes).area, 90 * 60 - wall - slope, delta=1.0)

    def test_a_fillet_below_several_floors_is_an_area_of_its_own(self) -> None:
        low = cut(self.three_floors(), cylinder(45, 30, 20, -20, 1))
        part = with_edges(low, 1.0, lambda x, y, z: abs(z + 20) < 1e-6 and math.hypot(x - 45, y - 30) < 20.1, True)
        layout = laid(part)
        found = [f for z in (-6.0, -12.0, -20.0) for f in at(layout, z)]
        self.assertEqual(len(found), 4)
        (foot,) = at(layout, -19.0)
        (bore,) = at(layout, -20.0)
        shapes = [shape_of(f) for f in found if f is not bore] + [shape_of(foot)]
        for k, one in enumerate(shapes):
            for other in shapes[k + 1 :]:
                self.assertLess(one.intersection(other).area, 0.05)
        wall = 20.0 * 30.0 - self.of_disc(20.0, 10.0)
        # All but the block that stands behind the bore.
        self.assertAlmostEqual(shapely.union_all(shapes).area, 90 * 60 - wall, delta=1.0)

    @staticmethod
    def of_disc(radius: float, half: float) -> float:
        """The area of half a disc between two lines at `half` mm from its middle."""
        angle = math.asin(half / radius)
        return radius**2 * angle + half * math.sqrt(radius**2 - half**2)

    def test_a_top_with_a_rounded_edge_is_one_face(self) -> None:
        part = cut(block((0, 0, -30), (80, 60, 0)), block((20, 20, -9), (40, 40, 1)))
        part = with_edges(part, 2.0, lambda x, y, z: abs(z) < 1e-6 and abs(x) < 1e-6, rounded=True)
        found = laid(part, 3.0, stock_above=1.0).features.features
        (top,) = (f for f in found if abs(f.bottom + 1.0) < 1e-6)
        self.assertEqual((top.kind, round(top.area)), ("top face", 86 * 66))

    def test_not_over_a_wide_slope(self) -> None:
        step = cut(block((0, 0, -30), (100, 60, 0)), block((-1, -1, -12), (40, 61, 1)))
        part = with_edges(step, 9.0, lambda x, y, z: abs(z + 12) < 1e-6 and abs(x) < 1e-6)
        (own,) = (f for f in at(laid(part), -12.0) if f.kind != STEP)
        self.assertAlmostEqual(own.area, 31 * 60, delta=0.05)
        # Nor is it open there: above the slope the stock stands.
        self.assertEqual(len(own.open_edges), 2)

    def test_a_floor_under_a_slope_does_not_hide_it(self) -> None:
        """A channel runs through the part below the slope: from above it is not seen, and the edge stays a wall."""
        step = cut(block((0, 0, -50), (60, 60, 0)), block((20, -1, -10), (61, 61, 1)))
        sloped = with_edges(step, 20.0, lambda x, y, z: abs(z + 10) < 1e-6 and abs(x - 60) < 1e-6)
        for part in (sloped, cut(sloped, block((41, -1, -45), (61, 61, -40)))):
            (own,) = (f for f in at(laid(part), -10.0) if f.kind != STEP)
            self.assertAlmostEqual(own.area, 20 * 60, delta=0.05)
            self.assertEqual(len(own.open_edges), 2)


class FacetTest(SimpleTestCase):
    def test_a_level_facet_of_a_lying_cylinder_is_no_floor(self) -> None:
        turns = 2 * np.pi * (np.arange(24) + 0.5) / 24
        self.assertEqual(self.floors(turns, 10.0), [])

    def test_a_flat_between_roundings_is_one(self) -> None:
        """The same, parted at its top: 15 mm of flat between two quarter rounds."""
        turns = 2 * np.pi * (np.arange(24) + 0.5) / 24
        found = self.floors(turns, 10.0, apart=15.0)
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0], 40 * (15 + 2 * 10 * math.sin(math.pi / 24)), places=6)

    @staticmethod
    def floors(turns: np.ndarray[Any, Any], radius: float, apart: float = 0.0) -> list[float]:
        """Areas of the level floors of a prism 40 mm long with that profile in x and z."""
        profile = radius * np.column_stack([np.cos(turns), np.sin(turns)])
        profile[:, 0] += np.where(profile[:, 0] > 0, apart / 2, -apart / 2)
        count = len(turns)
        ends = [np.column_stack([profile[:, 0], np.full(count, y), profile[:, 1]]) for y in (0.0, 40.0)]
        k, n = np.arange(count), (np.arange(count) + 1) % count
        sides = np.concatenate([np.column_stack([k, k + count, n]), np.column_stack([n, k + count, n + count])])
        caps = np.array([(0, i, i + 1) for i in range(1, count - 1)])
        triangles = np.concatenate([sides, caps, caps[:, ::-1] + count]).astype(np.int32)
        vertices = np.vstack(ends)
        a, b, c = (vertices[triangles[:, i]] for i in range(3))
        assert np.einsum("ij,ij->i", a, np.cross(b, c)).sum() > 0, "outside in"
        bent = np.ones(len(triangles), dtype=bool)
        return [float(f.shape.area) for f in level_floors(vertices, triangles, bent, 0.45)]
