"""CBOR (RFC 8949) of strangers, read by a shape that is known before: columns become arrays, and nothing else is made.

A general reader makes an object of each item: two kilobytes of nested lists, packed, take a gigabyte. Here a document holds
what its shape says or is refused, and a column of numbers takes eight bytes a number. Only definite lengths are read.
"""

from __future__ import annotations

from array import array
from collections.abc import Mapping
from enum import Enum
from typing import Any

import numpy as np

from rampa.core.content.tree.columns import DIGEST_SIZE, Numbers, Texts, column

UNSIGNED, NEGATIVE, BYTES, TEXT, ARRAY, MAP = range(6)
WINDOW = 1 << 14
"""Bytes of a column that are looked at together."""
MOST_OBJECTS, MOST_TEXTS = 4096, 100_000
SHORT_TEXT = (TEXT << 5) + 24
FEW = 64
"""Numbers of one byte in a row from which on they are read as one stretch."""


def within(kind: str, numbers: Numbers) -> array[int]:
    """Numbers as an array of `kind` (I or Q, as in the module array). Raises `ValueError` for one that does not fit."""
    if len(numbers) and not 0 <= int(numbers.min()) <= int(numbers.max()) < 1 << (32 if kind == "I" else 63):
        raise ValueError("a number is negative, or too large")
    return column(kind, numbers)


class ItemKind(Enum):
    """What an item of a document is."""

    NUMBER = "a number of 63 bits"
    TEXT = "a text"
    BYTES = "bytes"
    NUMBERS = "a list of numbers"
    TEXTS = "a list of texts, of which there are few"
    PATHS = "a list of texts, each with a digest elsewhere in the document"
    BLOBS = "a list of bytes"
    NUMBER_LISTS = "a list of lists of numbers"


Document = Mapping[str, "ItemKind | Document"]
"""Key -> what is there. Each key that is read must be one of these."""

_WIDTH = np.zeros(256, dtype=np.int64)
"""Bytes of a number by its first one; 0 where no number begins so."""
for _base in (UNSIGNED << 5, NEGATIVE << 5):
    _WIDTH[_base : _base + 24] = 1
    for _i, _bytes in enumerate((2, 3, 5, 9)):
        _WIDTH[_base + 24 + _i] = _bytes


def read(raw: bytes, document: Document) -> dict[str, Any]:
    """Numbers as int, lists of numbers as int64 arrays, lists of texts as `Texts`.

    Raises `ValueError` for anything that is not as the shape says. What a key that is missing means is the caller's to say.
    """
    reader = _Reader(raw)
    found = reader.map(document)
    if reader.at != len(raw):
        raise ValueError("there are bytes behind the end")
    return found


class _Reader:
    def __init__(self, raw: bytes) -> None:
        self._raw = raw
        self._bytes = np.frombuffer(raw, np.uint8)
        self.at = 0

    def map(self, document: Document) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for _ in range(self._head(MAP)):
            key = self._text()
            if key not in document or key in found:
                raise ValueError("a key is not known, or stands twice")
            shape = document[key]
            found[key] = self._item(shape) if isinstance(shape, ItemKind) else self.map(shape)
        return found

    def _item(self, shape: ItemKind) -> Any:
        match shape:
            case ItemKind.NUMBER:
                return int(self._numbers(1)[0])
            case ItemKind.TEXT:
                return self._text()
            case ItemKind.BYTES:
                return self._take(self._head(BYTES))
            case ItemKind.NUMBERS:
                return self._numbers(self._head(ARRAY))
            case ItemKind.TEXTS:
                return self._texts(self._few(MOST_TEXTS))
            case ItemKind.PATHS:
                # Read one by one, so not more of them than there is room for their digests.
                return self._texts(self._few((len(self._raw) - self.at) // DIGEST_SIZE))
            case ItemKind.BLOBS:
                return [self._take(self._head(BYTES)) for _ in range(self._few(MOST_OBJECTS))]
            case ItemKind.NUMBER_LISTS:
                return [self._numbers(self._head(ARRAY)) for _ in range(self._few(MOST_OBJECTS))]

    def _head(self, kind: int) -> int:
        """The number in an item's head: a length or a count, which never is more than the bytes that are left."""
        first = self._take(1)[0]
        low = first & 31
        if first >> 5 != kind or low > 27:
            raise ValueError("an item is not of the kind that belongs there")
        number = low if low < 24 else int.from_bytes(self._take(1 << (low - 24)), "big")
        if number > len(self._raw) - self.at:
            raise ValueError("an item is longer than the document")
        return number

    def _take(self, size: int) -> bytes:
        taken = self._raw[self.at : self.at + size]
        if len(taken) != size:
            raise ValueError("the document ends early")
        self.at += size
        return taken

    def _few(self, most: int) -> int:
        # Each of these is an object of its own, of a hundred bytes for one that came.
        count = self._head(ARRAY)
        if count > most:
            raise ValueError("a list holds more than belongs there")
        return count

    def _texts(self, count: int) -> Texts:
        blob, ends, raw = bytearray(), array("Q"), self._raw
        for _ in range(count):
            # Most names have less than 24 bytes or less than 256: their heads are read here, without two calls for each.
            first = raw[self.at] if self.at < len(raw) else 0
            if first == SHORT_TEXT and self.at + 1 < len(raw):
                start, size = self.at + 2, raw[self.at + 1]
            elif TEXT << 5 <= first < (TEXT << 5) + 24:
                start, size = self.at + 1, first & 31
            else:
                size = self._head(TEXT)
                start = self.at
            if start + size > len(raw):
                raise ValueError("the document ends early")
            blob += raw[start : start + size]
            self.at = start + size
            ends.append(len(blob))
        return Texts(bytes(blob), ends)

    def _text(self) -> str:
        return self._take(self._head(TEXT)).decode()

    def _numbers(self, count: int) -> Numbers:
        # Not more than the document has bytes: the count was checked, so what is taken here is bounded by what came.
        if count > len(self._raw) - self.at:
            raise ValueError("the document ends early")
        out = np.empty(count, dtype=np.int64)
        done = 0
        while done < count:
            window = self._bytes[self.at : self.at + WINDOW]
            starts = _starts(window, count - done)
            values, used = _values(window, starts)
            if not len(values):
                raise ValueError("a number is cut off, or is none")
            out[done : done + len(values)] = values
            done += len(values)
            self.at += used
        return out


def _starts(window: Numbers, most: int) -> Numbers:
    """Where the first `most` numbers begin, as far as the window goes."""
    width = _WIDTH[window]
    longer = np.flatnonzero(width != 1)
    ones = int(longer[0]) if len(longer) else len(window)
    # Columns of differences are nearly all of one byte: those need no search.
    if ones >= min(FEW, most) or ones == len(window):
        return np.arange(min(ones, most))
    # Each number says where the next one begins. Followed one by one that is a loop in Python; here the steps are
    # doubled each time: 1, 2, 4 … numbers ahead, for all places at once.
    end = len(window)
    jump = np.minimum(np.arange(end + 1) + np.append(width, 0), end)
    starts = np.zeros(1, dtype=np.int64)
    while len(starts) < most and starts[-1] < end and jump[starts[-1]] != starts[-1]:
        starts = np.append(starts, jump[starts])
        jump = jump[jump]
    return starts[starts < end][:most]


def _values(window: Numbers, starts: Numbers) -> tuple[Numbers, int]:
    """(the numbers that begin there, up to one that is cut off by the window's end; the bytes that they took)."""
    first = window[starts]
    width = _WIDTH[first]
    whole = (width > 0) & (starts + width <= len(window))
    # Behind the first that is not whole nothing counts, though it may look like a number.
    usable = len(starts) if whole.all() else int(np.argmin(whole))
    starts, first, width = starts[:usable], first[:usable], width[:usable]
    if not usable:
        return np.zeros(0, dtype=np.int64), 0
    size = (first & 31).astype(np.uint64)
    for bytes_ in (2, 3, 5, 9):
        alike = np.flatnonzero(width == bytes_)
        if len(alike):
            body = window[starts[alike, None] + np.arange(1, bytes_)].astype(np.uint64)
            shifts = (8 * np.arange(bytes_ - 2, -1, -1)).astype(np.uint64)
            size[alike] = (body << shifts).sum(axis=1, dtype=np.uint64)
    if int(size.max()) >= 1 << 63:
        raise ValueError("a number is too large")
    signed = size.view(np.int64)
    values = np.where(first >> 5 == NEGATIVE, -1 - signed, signed)
    return values, int(starts[-1] + width[-1])
