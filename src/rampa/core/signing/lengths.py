"""Little-endian values with their length before them, which signing blocks and successions are made of."""

from __future__ import annotations

import struct
from collections.abc import Iterable

from rampa.core.errors import Damaged

MAX_ITEMS = 10_000


def prefixed(data: bytes) -> bytes:
    """The length as 32 bits, then the data."""
    return struct.pack("<I", len(data)) + data


def sequence(items: Iterable[bytes]) -> bytes:
    """Items, each with its length, and the length of them all before them."""
    return prefixed(b"".join(prefixed(item) for item in items))


class Cursor:
    """Reads such values. Raises `Damaged` where one reaches beyond its end."""

    def __init__(self, data: bytes) -> None:
        self._data, self._at = data, 0

    @property
    def left(self) -> int:
        return len(self._data) - self._at

    def number(self) -> int:
        return int(struct.unpack("<I", self.take(4))[0])

    def take(self, length: int) -> bytes:
        if not 0 <= length <= self.left:
            raise Damaged("signature.damaged", "the signing block is cut off or gives an impossible length")
        self._at += length
        return self._data[self._at - length : self._at]

    def item(self) -> bytes:
        return self.take(self.number())

    def items(self) -> list[bytes]:
        """A sequence of items with its length before it."""
        return self.rest_of(Cursor(self.item()))

    @staticmethod
    def rest_of(cursor: Cursor) -> list[bytes]:
        out: list[bytes] = []
        while cursor.left:
            out.append(cursor.item())
            if len(out) > MAX_ITEMS:
                raise Damaged("signature.damaged", "the signing block holds absurdly many parts")
        return out
