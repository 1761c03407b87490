"""What was worked out of an object, kept while it is one of the last that were asked about.

A plan asks for the same shapes of the same areas again and again. The objects are frozen; they are told apart by being
themselves, since comparing them would take as long as the work. There is no lock, which a fork could copy while it is
held: each step is one that threads cannot come between, and what two of them make at once is the same.
"""

from collections.abc import Callable, Hashable
from typing import Any, TypeVar

T = TypeVar("T")


class Kept:
    """Results by object and key; of the objects at most so many."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._of: dict[int, tuple[object, dict[Hashable, Any]]] = {}

    def get(self, of: object, key: Hashable, make: Callable[[], T]) -> T:
        """What `make` returns, made once for this object and key."""
        # The object is kept with its results: as long as it is, no other has its number.
        entry = self._of.get(id(of))
        if entry is None:
            entry = self._of[id(of)] = (of, {})
            for oldest in list(self._of)[: -self._most]:
                self._of.pop(oldest, None)
        results = entry[1]
        if key not in results:
            results[key] = make()
        found: T = results[key]
        return found
