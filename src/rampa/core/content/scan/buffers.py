"""Memory that files are read into, taken once and used again."""

from __future__ import annotations

import os
import threading
from collections import deque

from rampa.core.content.tree.parameters import WINDOW

SEGMENT = 4 * 1024 * 1024


class ThreadRoom(threading.local):
    """Each thread's own room for a whole small file, or a frame."""

    def __init__(self) -> None:
        self._room = bytearray()

    def of(self, size: int) -> memoryview:
        """`size` bytes, valid until this thread asks again."""
        # Most threads read small files all day; they grow once to a segment and stay there.
        if len(self._room) < size:
            self._room = bytearray(max(size, SEGMENT))
        return memoryview(self._room)[:size]

    def read(self, fd: int, size: int) -> memoryview:
        """A file's content, as valid; shorter when the file became shorter."""
        view = self.of(size)
        return view[: read_into(fd, view, 0)].toreadonly()


class Buffer:
    """A stretch of a file at `at`, with the `warm` bytes before it, and room for `head` bytes in front."""

    def __init__(self, room: memoryview, head: int) -> None:
        self.room, self.head = room, head
        self.at = self.warm = self.size = 0

    @property
    def end(self) -> int:
        return self.at + self.size

    @property
    def fresh(self) -> memoryview:
        return self.room[self.head : self.head + self.size].toreadonly()

    @property
    def warmed(self) -> memoryview:
        return self.room[self.head - self.warm : self.head + self.size].toreadonly()

    def behind(self, tail: bytes) -> memoryview:
        """The segment with `tail`, at most `head` bytes, before it."""
        start = self.head - len(tail)
        self.room[start : self.head] = tail
        return self.room[start : self.head + self.size].toreadonly()


class Segments:
    """As many as are in flight. `head`: the most bytes that come in front of one."""

    def __init__(self, head: int) -> None:
        self._head = max(head, WINDOW)
        self._free: deque[Buffer] = deque()

    def read(self, fd: int, at: int, file_size: int) -> Buffer:
        # Found, not counted: whoever reads first makes one, so there are never more than are in flight.
        try:
            segment = self._free.popleft()
        except IndexError:
            segment = Buffer(memoryview(bytearray(self._head + SEGMENT)), self._head)
        # From the window's length before the segment: the rolling hash is warm where the segment starts, and segments
        # can be searched in any order.
        segment.at, segment.warm = at, min(at, WINDOW - 1)
        start, size = self._head - segment.warm, min(SEGMENT, file_size - at)
        read = read_into(fd, segment.room[start : self._head + size], at - segment.warm)
        segment.size = max(0, read - segment.warm)
        return segment

    def give_back(self, segment: Buffer) -> None:
        self._free.append(segment)


def read_into(fd: int, view: memoryview, at: int) -> int:
    """How many bytes were there: fewer than asked for when the file became shorter (its stat then tells)."""
    done = 0
    while done < len(view):
        # At a place, never at the file's position: several threads read one descriptor.
        read = os.preadv(fd, [view[done:]], at + done)
        if not read:
            break
        done += read
    return done
