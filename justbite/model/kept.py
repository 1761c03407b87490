"""What was worked out of an object, kept while it is one of the last that were asked about.

A plan asks for the same shapes of the same areas again and again. The objects are frozen; they are told apart by being
themselves, since comparing them would take as long as the work.
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, TypeVar

T = TypeVar("T")


class Kept:
    """Results by object and key; of the objects at most so many."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._of: OrderedDict[int, tuple[object, dict[Hashable, Any]]] = OrderedDict()
        self._lock = Lock()

    def get(self, of: object, key: Hashable, make: Callable[[], T]) -> T:
        """What `make` returns, made once for this object and key."""
        with self._lock:
            # The object is kept with its results: as long as it is, no other has its number.
            owner, results = self._of.get(id(of), (of, {}))
            assert owner is of
            self._of[id(of)] = (of, results)
            self._of.move_to_end(id(of))
            if len(self._of) > self._most:
                self._of.popitem(last=False)
        if key not in results:
            results[key] = make()
        found: T = results[key]
        return found
