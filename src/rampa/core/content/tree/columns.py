"""Long lists in few bytes: texts and digests one behind the other, searched without a dictionary.

A build of a million files has a million paths, digests and chunks; as objects they take a kilobyte a file, as columns a hundred
bytes.
"""

from __future__ import annotations

from array import array
from bisect import bisect_left
from collections.abc import Iterable, Sequence
from typing import Any, overload

import numpy as np

DIGEST_SIZE = 32
BLOCK = 1 << 16
"""Entries that are looked up at once: what a look-up takes for a moment stays small."""

Numbers = np.ndarray


class Texts(Sequence[str]):
    """UTF-8 texts."""

    __slots__ = ("_blob", "_ends")

    def __init__(self, blob: bytes, ends: array[int]) -> None:
        """`ends`: where each text ends in `blob`, in bytes (array of Q)."""
        self._blob, self._ends = blob, ends

    @classmethod
    def of(cls, texts: Iterable[str | bytes]) -> Texts:
        blob, ends = bytearray(), array("Q")
        for text in texts:
            blob += text.encode() if isinstance(text, str) else text
            ends.append(len(blob))
        return cls(bytes(blob), ends)

    @property
    def columns(self) -> tuple[bytes, array[int]]:
        """What it is made of."""
        return self._blob, self._ends

    def __len__(self) -> int:
        return len(self._ends)

    @overload
    def __getitem__(self, index: int) -> str: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[str]: ...
    def __getitem__(self, index: int | slice) -> str | Sequence[str]:
        if isinstance(index, slice):
            return [self[i] for i in range(*index.indices(len(self)))]
        return self.raw(index).decode()

    def raw(self, index: int) -> bytes:
        """A text as UTF-8, whose order is that of the code points."""
        if index < 0:
            index += len(self._ends)
        return self._blob[self._ends[index - 1] if index else 0 : self._ends[index]]

    def find(self, text: str) -> int:
        """The number of a text in sorted texts, or -1."""
        # Bytes, not texts, are compared: UTF-8 sorts as its code points do, and nothing is decoded to be looked at
        # once.
        wanted = text.encode()
        at = bisect_left(range(len(self)), wanted, key=self.raw)
        return at if at < len(self) and self.raw(at) == wanted else -1

    def take(self, order: Numbers) -> Texts:
        return Texts.of(self.raw(i) for i in order.tolist())

    def order(self) -> Numbers | None:
        """The numbers of the texts in sorted order; None where they are sorted and no text stands twice."""
        if all(self.raw(i) < self.raw(i + 1) for i in range(len(self) - 1)):
            return None
        return np.array(sorted(range(len(self)), key=self.raw), dtype=np.int64)

    def __add__(self, other: Texts) -> Texts:
        ends = column("Q", view(other._ends) + np.uint64(len(self._blob)))
        return Texts(self._blob + other._blob, self._ends + ends)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Texts) and self._ends == other._ends and self._blob == other._blob

    def __hash__(self) -> int:
        return hash(self._blob)


class Digests(Sequence[bytes]):
    """BLAKE3 digests, 32 bytes each. A search takes twelve bytes an entry more, once it was asked for."""

    __slots__ = ("_order", "_sorted", "joined")

    def __init__(self, joined: bytes = b"") -> None:
        self.joined = joined
        self._sorted: array[int] | None = None
        self._order: Numbers | None = None

    @classmethod
    def of(cls, digests: Iterable[bytes]) -> Digests:
        return cls(b"".join(digests))

    def __len__(self) -> int:
        return len(self.joined) // DIGEST_SIZE

    @overload
    def __getitem__(self, index: int) -> bytes: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[bytes]: ...
    def __getitem__(self, index: int | slice) -> bytes | Sequence[bytes]:
        if isinstance(index, slice):
            return [self[i] for i in range(*index.indices(len(self)))]
        if index < 0:
            index += len(self)
        if not 0 <= index < len(self):
            raise IndexError(index)
        return self.joined[index * DIGEST_SIZE : (index + 1) * DIGEST_SIZE]

    def __contains__(self, digest: object) -> bool:
        return isinstance(digest, bytes) and self.find(digest) >= 0

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Digests) and self.joined == other.joined

    def __hash__(self) -> int:
        return hash(self.joined)

    def find(self, digest: bytes) -> int:
        """The lowest number that has this digest, or -1."""
        keys, order = self._search()
        key = int.from_bytes(digest[:8], "little")
        at = bisect_left(keys, key)
        while at < len(keys) and keys[at] == key:
            number = int(order[at])
            if self[number] == digest:
                return number
            at += 1
        return -1

    def find_all(self, others: Digests) -> Numbers:
        """For each of `others`, what `find` gives (int64)."""
        out = np.full(len(others), -1, dtype=np.int64)
        keys, order = self._search()
        if not keys:
            return out
        sorted_, mine, theirs = np.frombuffer(keys, dtype=np.uint64), self._words(), others._words()
        for start in range(0, len(others), BLOCK):
            words = theirs[start : start + BLOCK]
            at = np.minimum(np.searchsorted(sorted_, words[:, 0]), len(keys) - 1)
            number = order[at]
            same = (mine[number] == words).all(axis=1)
            out[start : start + BLOCK][same] = number[same]
            # Two digests may begin alike: by chance never, by intent perhaps.
            for i in np.flatnonzero(~same & (sorted_[at] == words[:, 0])).tolist():
                out[start + i] = self.find(others[start + i])
        return out

    def take(self, numbers: Numbers) -> Digests:
        return Digests(self._words()[numbers].tobytes())

    def __add__(self, other: Digests) -> Digests:
        return Digests(self.joined + other.joined)

    def _words(self) -> Numbers:
        return np.frombuffer(self.joined, dtype="<u8").reshape(-1, 4)

    def _search(self) -> tuple[array[int], Numbers]:
        """Sorted first words, and whose they are; equal ones in the order of their numbers."""
        # Made at the first search: most lists of digests are only walked through.
        if self._sorted is None or self._order is None:
            # By their first eight bytes: digests are spread evenly, so eight tell nearly all of them apart.
            first = self._words()[:, 0]
            order = np.argsort(first, kind="stable").astype(np.uint32)
            keys = array("Q")
            keys.frombytes(first[order].tobytes())
            self._order, self._sorted = order, keys
        return self._sorted, self._order


def column(kind: str, numbers: Numbers | Iterable[int]) -> array[int]:
    """An array of `kind` (as in the module array) from numbers."""
    if isinstance(numbers, np.ndarray):
        out: array[Any] = array(kind)
        out.frombytes(numbers.astype(np.dtype(kind)).tobytes())
        return out
    return array(kind, numbers)


def view(numbers: array[int]) -> Numbers:
    """The same memory for arithmetic."""
    return np.frombuffer(numbers, dtype=np.dtype(numbers.typecode))
