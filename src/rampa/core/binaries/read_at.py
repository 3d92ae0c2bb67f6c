"""How readers of binaries get bytes: from a place on, so many.

A file that ends earlier gives fewer bytes; readers take that as damage.
"""

from __future__ import annotations

import os
from collections.abc import Callable

ReadAt = Callable[[int, int], bytes]
"""(offset, size) -> up to that many bytes."""
NAME_LIMIT = 300
"""Bytes of a name that are read at most."""


def of_bytes(data: bytes | memoryview) -> ReadAt:
    whole = bytes(data)
    return lambda offset, size: whole[max(0, offset) : max(0, offset) + max(0, size)]


def of_descriptor(fd: int) -> ReadAt:
    """An open file, as long as it is now; raises OSError as the system does."""
    whole = os.fstat(fd).st_size

    def read(offset: int, size: int) -> bytes:
        # Headers name any place and length: the system takes no place above 2**63, and room is made for all that is asked.
        if not 0 <= offset < whole or size <= 0:
            return b""
        return os.pread(fd, min(size, whole - offset), offset)

    return read


def text_at(data: bytes, at: int) -> str:
    """A text that ends with a zero byte; empty where none does."""
    end = data.find(b"\0", at, at + NAME_LIMIT) if 0 <= at < len(data) else -1
    return data[at:end].decode("utf-8", "replace") if end >= 0 else ""
