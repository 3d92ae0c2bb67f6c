"""A frame that is made, and lies in no pack yet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rampa.core.content.tree.tree import Chunk


@dataclass(frozen=True)
class NewFrame:
    """`stored` is the compressed frame of these chunks, one behind the other: `raw` bytes."""

    chunks: Sequence[Chunk]
    stored: bytes
    raw: int
