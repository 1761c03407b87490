"""What is kept of objects: made once, told apart by identity, let go of."""

from django.test import SimpleTestCase

from justbite.model.kept import Kept


class KeptTest(SimpleTestCase):
    def test_made_once_for_an_object_and_a_key(self) -> None:
        kept, made = Kept(2), []

        def of(owner: object, key: str) -> int:
            def make() -> int:
                made.append((id(owner), key))
                return len(made)

            return kept.get(owner, key, make)

        # Equal, but not the same.
        one, other = [1], [1]
        self.assertEqual([of(one, "a"), of(one, "a"), of(one, "b"), of(other, "a"), of(one, "a")], [1, 1, 2, 3, 1])
        # A third one, and the first is let go of.
        self.assertEqual([of([2], "a"), of(other, "a"), of(one, "a")], [4, 3, 5])

    def test_a_failure_is_not_kept(self) -> None:
        kept, owner = Kept(2), object()
        with self.assertRaises(ZeroDivisionError):
            kept.get(owner, "a", lambda: 1 // 0)
        self.assertEqual(kept.get(owner, "a", lambda: 7), 7)
