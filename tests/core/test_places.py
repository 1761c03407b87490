"""Places asked for by shape: held against asking of each of them."""

import numpy as np
import shapely
from django.test import SimpleTestCase

from justbite.proof.places import BUNCH, Places


class PlacesTest(SimpleTestCase):
    def setUp(self) -> None:
        random = np.random.default_rng(7)
        # A walk from area to area, as a path's, and nothing at the end of the last bunch.
        steps = random.normal(0.0, 0.4, (5 * BUNCH + 17, 2))
        self.x, self.y = np.cumsum(steps, axis=0).T
        self.among = random.random(len(self.x)) < 0.8

    def test_every_shape_finds_the_places_that_lie_in_it(self) -> None:
        places = Places(self.x, self.y, self.among)
        found = 0
        for k in range(0, len(self.x), 97):
            disc = shapely.Point(self.x[k], self.y[k]).buffer(2.5)
            shape = disc.difference(disc.buffer(-2.0))
            asked = np.nonzero(self.among & shapely.contains_xy(shape, self.x, self.y))[0]
            self.assertEqual(places.within(shape).tolist(), asked.tolist())
            found += len(asked)
        self.assertGreater(found, 100)

    def test_nothing_lies_in_no_shape_and_of_no_places_none(self) -> None:
        self.assertEqual(len(Places(self.x, self.y, self.among).within(shapely.Polygon())), 0)
        none = Places(self.x, self.y, np.zeros(len(self.x), dtype=bool))
        self.assertEqual(len(none.within(shapely.box(-1e3, -1e3, 1e3, 1e3))), 0)
