"""Findings on many areas that say the same, told once."""

from dataclasses import replace

from django.test import SimpleTestCase

from justbite.model.findings import Finding
from justbite.model.job import Job
from justbite.model.parse import parse_job
from justbite.path.gathered import gathered
from tests.core.test_rest import two_cutters


class GatheredTest(SimpleTestCase):
    """What is said of many areas alike is said once."""

    def found(self, names: list[str], code: str, slope: float = 0.0) -> tuple[Job, list[Finding]]:
        data = two_cutters()
        data["regions"] = [{**data["regions"][0], "name": name, "over_slope": slope} for name in names]
        for operation in data["operations"]:
            operation["regions"] = names
        others = [Finding("area.no-entry", "Other.", "small", names[0])]
        own = [Finding(code, f"Said of {n}.", "small", n, float(k), 0.0, size=0.1 * k) for k, n in enumerate(names)]
        made = parse_job(data)
        return made, gathered(made, made.operations[1], own[:1] + others + own[1:])

    def test_areas_of_which_nothing_is_left(self) -> None:
        _, told = self.found(["a", "b"], "area.no-rest")
        said = 'Operations before "small" leave nothing of 2 areas that its cutter would take: "a" and "b".'
        self.assertEqual([f.sentence for f in told], [said, "Other."])
        _, told = self.found([f"a{k}" for k in range(6)], "area.no-rest")
        self.assertIn('6 areas that its cutter would take: "a0", "a1", "a2", "a3" and 2 more.', told[0].sentence)
        _, told = self.found(["a"], "area.no-rest")
        self.assertEqual([f.sentence for f in told], ["Said of a.", "Other."])

    def test_what_steps_of_slopes_leave_out_is_told_at_the_widest_place(self) -> None:
        _, told = self.found(["a", "b", "c"], "area.unreached", 1.0)
        self.assertEqual(len(told), 2)
        self.assertIn('up to 0.20 mm wide in 3 steps of slopes: "a", "b" and "c".', told[0].sentence)
        self.assertEqual((told[0].area, told[0].x), ("c", 2.0))
        # Of areas that are no steps each is told by itself.
        _, told = self.found(["a", "b", "c"], "area.unreached")
        self.assertEqual(len(told), 4)

    def test_places_in_more_than_a_few_areas_are_told_in_the_same_words_each_at_its_place(self) -> None:
        """Screens show what has the same words once, with all of its places."""
        names = [f"a{k}" for k in range(6)]
        _, told = self.found(names, "area.unreached")
        said = (
            'The 6 mm cutter does not reach 6 places up to 0.50 mm wide in 6 areas: "a0", "a1", "a2", "a3" and 2 more.'
        )
        own = [f for f in told if f.code == "area.unreached"]
        self.assertEqual({f.sentence for f in own}, {said})
        self.assertEqual([(f.area, f.x) for f in own], [(name, float(k)) for k, name in enumerate(names)])

    def test_places_in_one_area_are_told_in_the_same_words(self) -> None:
        """A dozen corners of one area were as many sentences as they had widths."""
        made, _ = self.found(["a", "b"], "area.unreached")
        corners = [
            Finding("area.unreached", f"Place {k}.", "small", "a", float(k), 0.0, size=0.1 * k) for k in range(3)
        ]
        other = Finding("area.unreached", "In b.", "small", "b", 9.0, 0.0, size=0.5)
        told = gathered(made, made.operations[1], [*corners, other])
        said = 'The 6 mm cutter does not reach 3 places up to 0.20 mm wide in "a".'
        self.assertEqual([f.sentence for f in told], [said] * 3 + ["In b."])
        self.assertEqual([(f.x, f.size) for f in told], [(f.x, f.size) for f in [*corners, other]])
        # As wide as each other they have the same words already.
        alike = [replace(f, sentence="Alike.") for f in corners]
        self.assertEqual(gathered(made, made.operations[1], alike), alike)

    def test_what_differs_by_the_name_alone(self) -> None:
        names = [f"a{k}" for k in range(6)]
        made, _ = self.found(names, "entry.ramp")
        ramps = [Finding("entry.ramp", f'Area "{n}" is entered by a ramp.', "small", n, 1.0, 2.0) for n in names]
        other = Finding("entry.ramp", "Of its own.", "small", "a0", 3.0, 4.0)
        said = 'Area "a0" is entered by a ramp. So it is with 5 more areas: "a1", "a2", "a3", "a4" and 1 more.'
        operation = made.operations[1]
        self.assertEqual([f.sentence for f in gathered(made, operation, [*ramps, other])], [said] * 6 + ["Of its own."])
        # Without a place it is told but once; of a few areas each is told.
        placeless = [replace(f, x=None, y=None) for f in ramps]
        self.assertEqual([(f.sentence, f.area) for f in gathered(made, operation, placeless)], [(said, "a0")])
        self.assertEqual(gathered(made, operation, ramps[:4]), ramps[:4])
