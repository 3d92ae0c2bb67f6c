"""The stored bytes of frames as they arrive: read from front to back, only as much of them held as was not asked for yet."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from rampa.core.errors import Damaged


class Source:
    """Exactly `size` bytes that come in pieces. Reading raises `Damaged` where they end early."""

    def __init__(self, pieces: Iterable[bytes | memoryview], size: int) -> None:
        self._pieces: Iterator[bytes | memoryview] = iter(pieces)
        self._held = memoryview(b"")
        self.left = size

    @classmethod
    def of(cls, data: bytes | memoryview) -> Source:
        return cls([data], len(data))

    def peek(self, size: int) -> bytes:
        """The next bytes, at most so many, without taking them."""
        self._hold(min(size, self.left))
        return bytes(self._held[: min(size, self.left)])

    def read(self, size: int = -1) -> bytes | memoryview:
        """The next bytes, as many as asked for or as there are."""
        size = self.left if size < 0 else min(size, self.left)
        self._hold(size)
        taken, self._held = self._held[:size], self._held[size:]
        self.left -= size
        return taken

    def part(self, size: int) -> Source:
        """The next `size` bytes as a source of their own. What is read of it is gone here."""
        if size > self.left:
            raise _short()
        return Source(self._some(size), size)

    def _some(self, size: int) -> Iterator[memoryview]:
        while size:
            if not len(self._held):
                self._hold(1)
            piece, self._held = self._held[:size], self._held[size:]
            size -= len(piece)
            self.left -= len(piece)
            yield piece

    def end(self) -> None:
        """Reads on to the end. Raises `Damaged` where it goes on behind it."""
        while self.left:
            self.read(1 << 16)
        if len(self._held) or any(len(piece) for piece in self._pieces):
            raise Damaged("download.damaged", "more bytes came than were asked for")

    def _hold(self, size: int) -> None:
        if len(self._held) >= size:
            return
        parts, held = [self._held], len(self._held)
        while held < size:
            piece = next(self._pieces, None)
            if piece is None:
                raise _short()
            parts.append(memoryview(piece))
            held += len(piece)
        # One piece, as most often, is not copied.
        parts = [p for p in parts if len(p)]
        self._held = parts[0] if len(parts) == 1 else memoryview(b"".join(parts))


def _short() -> Damaged:
    return Damaged("download.damaged", "fewer bytes came than were asked for")
