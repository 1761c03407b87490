"""One key for all that values say, however they were made: equal values have equal keys.

What a result was made from is told by its key. So only plain data has one: a function that holds on to what is around
it, or an object that keeps more than its fields, could say more than is read here, and is refused.
"""

import hashlib
import struct
from dataclasses import fields, is_dataclass
from types import FunctionType
from typing import Any

import numpy as np
import shapely
from pydantic import BaseModel
from shapely.geometry.base import BaseGeometry


class NoContentError(TypeError):
    """Of this nothing tells all that it says."""


def content_key(*values: object, most: int | None = None) -> bytes | None:
    """16 bytes for what the values say, in their order; None where arrays in them have over `most` bytes together.

    Known are None, truth values, numbers, text, bytes, tuples, lists, dicts, arrays of numbers, shapes, dataclasses,
    pydantic models, and functions of modules, of which their name counts. Raises NoContentError for others.
    """
    told = _Told(most)
    for value in values:
        told.add(value)
        if told.too_much:
            return None
    return told.hash.digest()


class _Told:
    """Values told one after the other, each with its kind and size: no two that differ are told alike."""

    def __init__(self, most: int | None) -> None:
        self.hash = hashlib.blake2b(digest_size=16)
        self._most = most
        self._bytes = 0

    @property
    def too_much(self) -> bool:
        return self._most is not None and self._bytes > self._most

    def add(self, value: Any) -> None:
        if self.too_much:
            return
        if value is None or isinstance(value, bool):
            self._tell(b"o", str(value).encode())
        elif isinstance(value, int):
            self._tell(b"i", str(value).encode())
        elif isinstance(value, float):
            self._tell(b"f", struct.pack("<d", value))
        elif isinstance(value, str):
            self._tell(b"s", value.encode())
        elif isinstance(value, bytes):
            self._tell(b"b", value)
        elif isinstance(value, np.ndarray | np.generic):
            self._array(value)
        elif isinstance(value, BaseGeometry):
            self._tell(b"g", shapely.to_wkb(value, flavor="iso"))
        else:
            self._made_of(value)

    def _made_of(self, value: Any) -> None:
        """What is made of other values."""
        if isinstance(value, tuple | list):
            self._several(b"t" if isinstance(value, tuple) else b"l", value)
        elif isinstance(value, dict):
            self._several(b"d", [part for pair in value.items() for part in pair])
        elif isinstance(value, type) or not (is_dataclass(value) or isinstance(value, BaseModel | FunctionType)):
            raise NoContentError(f"{type(value).__qualname__} has no content that could be told.")
        elif isinstance(value, FunctionType):
            # By its name, which is that of one function only where nothing around it was taken in.
            if value.__closure__ or "<" in value.__qualname__:
                raise NoContentError(f"{value.__qualname__} may hold on to more than its name tells.")
            self._tell(b"c", f"{value.__module__}.{value.__qualname__}".encode())
        else:
            names = type(value).model_fields if isinstance(value, BaseModel) else [f.name for f in fields(value)]
            kind = type(value)
            self._several(b"m", [f"{kind.__module__}.{kind.__qualname__}", *(getattr(value, name) for name in names)])

    def _several(self, kind: bytes, values: Any) -> None:
        self._tell(kind, str(len(values)).encode())
        for value in values:
            self.add(value)

    def _array(self, value: Any) -> None:
        if value.dtype.hasobject:
            raise NoContentError("An array of objects has no content that could be told.")
        self._bytes += value.nbytes
        if not self.too_much:
            self._tell(b"a", f"{value.dtype.str}{value.shape}".encode())
            self._tell(b"", np.ascontiguousarray(value).data.cast("B") if value.size else b"")

    def _tell(self, kind: bytes, content: Any) -> None:
        self.hash.update(kind + struct.pack("<q", len(content)))
        self.hash.update(content)
