"""How content is packed, by rule: a level, stored, or matches over long distances."""

from __future__ import annotations

import re
import struct
from collections.abc import Mapping
from dataclasses import dataclass

from rampa.core.patterns import read_patterns

LEVEL = 3
STORED = -1000
RULE = re.compile(r"(?:(stored)|([0-9]|1[0-9])( long)?( filtered)?)")
BLOCK = 128 * 1024
"""Bytes of a raw block (RFC 8878, section 3.1.1.2.3)."""


@dataclass(frozen=True, slots=True)
class Packing:
    """`level`: 0 packs fastest, 19 smallest, STORED keeps bytes as they are; `long`: larger frames with a longer memory;
    `filtered`: sound, block textures and programs are filtered first."""

    level: int = LEVEL
    long: bool = False
    filtered: bool = False


def read_rule(text: str) -> Packing | None:
    """`9`, `19 long`, `3 filtered`, `9 long filtered` or `stored`; None for anything else."""
    match = RULE.fullmatch(text)
    if match is None:
        return None
    return Packing(STORED) if match[1] else Packing(int(match[2]), bool(match[3]), bool(match[4]))


class PackingRules:
    """The packing of each path: the last pattern that matches says it, else the usual level."""

    def __init__(self, usual: int = LEVEL, levels: Mapping[str, str] | None = None) -> None:
        self._usual = Packing(usual)
        rules = [(pattern, read_rule(text)) for pattern, text in (levels or {}).items()]
        self._rules = [rule for _, rule in rules]
        self._spec = read_patterns([pattern for pattern, _ in rules]) if rules else None

    def of(self, path: str) -> Packing:
        if self._spec is None:
            return self._usual
        found = self._spec.check_file(path)
        return (found.index is not None and found.include and self._rules[found.index]) or self._usual


def stored_frame(data: bytes | bytearray | memoryview) -> bytes:
    """A zstd frame of raw blocks only (RFC 8878, section 3.1.1): content as it is, and readable by any zstd."""
    view = memoryview(data)
    # Raw blocks, not bytes as they are: whoever reads a pack needs to know one format only.
    out: list[bytes | memoryview] = [struct.pack("<IBI", 0xFD2FB528, 0xA0, len(view))]
    for at in range(0, len(view), BLOCK):
        size = min(BLOCK, len(view) - at)
        last = int(at + size == len(view))
        out += [struct.pack("<I", last | size << 3)[:3], view[at : at + size]]
    return b"".join(out)
