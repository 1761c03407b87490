"""What was planned once is not planned again: results by all that they are made from.

Who changes a feed of the second operation, or the depth of one pocket among ten, waits for that alone; and who stopped
planning and begins again waits for what was not done. A result is told by the content of what it is made from, not by
where that comes from; so a job that was changed and changed back has its old plan, and two jobs share what they have in
common. Results are kept packed, the latest asked for up to so many bytes, as long as the process lives.
"""

import pickle
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Generic

from justbite.errors import working_on
from justbite.model.content import content_key
from justbite.path.together import Result, Tick, side_by_side

MOST, MOST_OF_ONE = 128 << 20, 16 << 20
"""Bytes that all results may have together, and that one may have: plans of large areas take longer to pack, and more
room, than there is to gain."""


@dataclass(frozen=True)
class Call(Generic[Result]):
    """A piece of work that is told by the function that does it and by what that is given, besides how to tell how far
    it is."""

    function: Callable[..., Result]
    """Of a module. All that its result hangs on is among `given`."""
    given: Sequence[object]
    names: tuple[str, str]
    """Of the area and the operation that it is for, where it fails as it should not; its result is the same for all."""
    ahead: Callable[[], object] | None = None
    """Done before, where it has to be done at all: several works may share what is made then."""

    def __call__(self, tick: Tick) -> Result:
        with working_on(*self.names):
            return self.function(*self.given, tick)

    @cached_property
    def key(self) -> bytes | None:
        """Equal for equal works; None where it is made from too much."""
        return content_key(self.function, self.given, most=MOST_OF_ONE)


class Remembered:
    """Results that were made, by the keys of their works."""

    def __init__(self, most: int = MOST, most_of_one: int = MOST_OF_ONE) -> None:
        self._most, self._most_of_one = most, most_of_one
        self._packed: OrderedDict[bytes, bytes] = OrderedDict()
        self._bytes = 0

    def __len__(self) -> int:
        return len(self._packed)

    @property
    def size(self) -> int:
        """Bytes of all results."""
        return self._bytes

    def find(self, key: bytes | None) -> tuple[Any] | None:
        """The result of a work, which is the caller's own; None where it is not known."""
        packed = self._packed.get(key) if key is not None else None
        if key is None or packed is None:
            return None
        self._packed.move_to_end(key)
        return (pickle.loads(packed),)

    def keep(self, key: bytes | None, result: object) -> None:
        """Keep the result of a work; those that were not asked for longest make room for it."""
        packed = None if key is None else self._fit(result)
        if key is None or packed is None:
            return
        self._bytes += len(packed) - len(self._packed.pop(key, b""))
        self._packed[key] = packed
        while self._bytes > self._most:
            self._bytes -= len(self._packed.popitem(last=False)[1])

    def _fit(self, result: object) -> bytes | None:
        """A result packed; None where it is too large, which is found out before it is packed whole."""
        sheet = _Sheet(self._most_of_one)
        try:
            pickle.Pickler(sheet, 5).dump(result)
        except _FullError:
            return None
        return b"".join(sheet.written)


class _FullError(Exception):
    pass


class _Sheet:
    """A file with room for so many bytes."""

    def __init__(self, room: int) -> None:
        self._room = room
        self.written: list[bytes] = []

    def write(self, data: Any) -> int:
        size = memoryview(data).nbytes
        self._room -= size
        if self._room < 0:
            raise _FullError
        self.written.append(bytes(data))
        return size


def done(calls: Sequence[Call[Result]], progress: Callable[[int, float], None], known: Remembered | None
         ) -> list[Result]:  # fmt: skip
    """The results of all `calls` in their order: those that are `known`, and the others made side by side, and kept as
    soon as each is there. Progress is that of the others; see `side_by_side`."""
    found = [None if known is None else known.find(call.key) for call in calls]
    left = [k for k, result in enumerate(found) if result is None]

    def keep(index: int, result: Result) -> None:
        if known is not None:
            known.keep(calls[left[index]].key, result)

    for k in left:
        ahead = calls[k].ahead
        if ahead is not None:
            ahead()
    if not left and calls:
        progress(len(calls) - 1, 1.0)
    made = iter(side_by_side([calls[k] for k in left], lambda k, share: progress(left[k], share), keep) if left else ())
    return [next(made) if result is None else result[0] for result in found]
