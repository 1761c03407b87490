"""Feeds that follow the bite, and one feed where they are to follow nothing."""

import numpy as np
from django.test import SimpleTestCase

from justbite import catalogue
from justbite.model.moves import CUT
from justbite.model.parse import parse_job
from justbite.plan import plan
from tests.core.test_path import job


class FollowTest(SimpleTestCase):
    def test_one_feed_is_one_for_the_bite(self) -> None:
        """Where it is to follow nothing all is cut at the bite's feed; on through the air it goes as links do."""
        data = job([[0, 0], [50, 0], [50, 40], [0, 40]], ae=4.0, open_edges=[0])
        data["operations"][0]["follow_bite"] = False
        made = plan(parse_job(data))
        cut = made.trace.part == CUT
        feed, share = made.trace.feed[cut], made.trace.share[cut]
        bite = round(made.report["operations"][0]["bite"]["feed"])
        self.assertLessEqual(float(feed[share > 0.05].max()), bite + 0.01)
        self.assertGreater(float(feed.max()), 1.5 * bite)

    def test_the_feed_follows_the_bite_inside_the_ceilings(self) -> None:
        """The same path, quicker; no chip thicker than a tooth bears, no power above the bite's."""
        made = {}
        for follow in (False, True):
            data = job([[0, 0], [50, 0], [60, 30], [10, 40]], islands=[[[22, 12], [32, 12], [32, 22], [22, 22]]])
            # One way in, so that it is one path: of two ways another could be the quicker with a feed that follows.
            data["operations"][0] |= {"follow_bite": follow, "entry": "helix"}
            data["machine"] = {
                **catalogue.machines()["harbour-mill"].model_dump(),
                "acceleration": 1e9,
                "block_rate": 1e9,
            }
            made[follow] = plan(parse_job(data))
        steady, following = (made[k].report["operations"][0] for k in (False, True))
        self.assertLess(following["seconds"], 0.99 * steady["seconds"])
        self.assertAlmostEqual(following["follow_saved_seconds"], steady["seconds"] - following["seconds"], delta=0.05)
        self.assertEqual(steady["follow_saved_seconds"], 0)
        self.assertAlmostEqual(following["cut_length"], steady["cut_length"], delta=0.01 * steady["cut_length"])
        self.assertLessEqual(following["max_over_target"], 1.06)
        trace, bite = made[True].trace, following["bite"]
        cutting = (trace.share > 0.05) & (trace.part == CUT)
        share, feed = trace.share[cutting], trace.feed[cutting]
        phi = np.arccos(1 - 2 * np.minimum(share, 2.0) * bite["ae"] / 10)
        tooth = feed / (3 * bite["speed"])
        borne = max(catalogue.materials()["aluminium-wrought"].most_chip_share * 10, bite["chip_most"])
        self.assertLessEqual(float((tooth * np.sin(phi)).max()), 1.04 * borne)
        # Power goes with removal and kc; at one chip thickness with removal alone.
        self.assertLessEqual(float((share * feed).max()), 1.08 * bite["feed"])
        self.assertGreater(float(feed.max()), 1.3 * bite["feed"])
