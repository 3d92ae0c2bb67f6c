"""zstd frames (RFC 8878) of strangers: what a frame claims is looked at before any memory is taken."""

from __future__ import annotations

import threading

import zstandard

RATIO, SMALL = 64, 4 * 1024 * 1024
"""Digests do not pack, so a document of ours is at most some times its packed size; a small one may be mostly names."""


class _ThreadReader(threading.local):
    """Contexts are costly to make and not to be shared between threads."""

    def __init__(self) -> None:
        self.reader = zstandard.ZstdDecompressor()


_per_thread = _ThreadReader()


def inflate(stored: bytes | memoryview, limit: int, *, sized: bool = True) -> bytes:
    """A frame's content, of at most `limit` bytes. `sized`: a frame that does not say its size is refused.

    Raises `zstandard.ZstdError`.
    """
    size = zstandard.frame_content_size(stored)
    if size > limit or (sized and size < 0):
        raise zstandard.ZstdError(f"a frame's size is missing, or above {limit} bytes")
    # Never none: an empty frame asks for a limit of 0, which the library reads as "no limit".
    return _per_thread.reader.decompress(stored, max_output_size=max(1, limit))


def inflate_document(stored: bytes | memoryview, limit: int) -> bytes:
    """The same for a document of ours: also not above what one of its size can come from, so that kilobytes stay megabytes."""
    return inflate(stored, min(limit, SMALL + RATIO * len(stored)))
