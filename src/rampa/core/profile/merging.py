"""Merging two people's changes of one document, line by line: what only one changed is taken, what both changed is shown."""

from __future__ import annotations

import difflib
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Clash:
    """Lines that both changed, each otherwise. `line` is where they stand in the merged text, from 1."""

    line: int
    base: str
    theirs: str
    mine: str


@dataclass(frozen=True, slots=True)
class Merged:
    """`text` has both sides' changes; where they clash it has mine, and the clash says theirs."""

    text: str
    clashes: tuple[Clash, ...]


def merge(base: str, theirs: str, mine: str) -> Merged:
    """Three-way merge by lines."""
    old, a, b = (text.splitlines(keepends=True) for text in (base, theirs, mine))
    out: list[str] = []
    clashes: list[Clash] = []
    at = (0, 0, 0)
    for start, in_a, in_b, size in _anchors(old, a, b):
        part = old[at[0] : start], a[at[1] : in_a], b[at[2] : in_b]
        chosen, clash = _settle(*part)
        if clash:
            clashes.append(Clash(len(out) + 1, *("".join(lines) for lines in part)))
        out += chosen + old[start : start + size]
        at = (start + size, in_a + size, in_b + size)
    return Merged("".join(out), tuple(clashes))


def _settle(old: list[str], theirs: list[str], mine: list[str]) -> tuple[list[str], bool]:
    if mine == old:
        return theirs, False
    if theirs in (old, mine):
        return mine, False
    return mine, True


def _anchors(old: list[str], a: list[str], b: list[str]) -> list[tuple[int, int, int, int]]:
    """Runs of lines that all three have: (in old, in a, in b, length); the last is empty, at the ends."""
    in_a = _matches(old, a)
    in_b = _matches(old, b)
    out: list[tuple[int, int, int, int]] = []
    for i in range(len(old)):
        if i in in_a and i in in_b:
            here = (i, in_a[i], in_b[i])
            if out and all(last + out[-1][3] == now for last, now in zip(out[-1][:3], here, strict=True)):
                out[-1] = (*out[-1][:3], out[-1][3] + 1)
            else:
                out.append((*here, 1))
    out.append((len(old), len(a), len(b), 0))
    return out


def _matches(old: list[str], new: list[str]) -> dict[int, int]:
    blocks = difflib.SequenceMatcher(None, old, new, autojunk=False).get_matching_blocks()
    return {block.a + i: block.b + i for block in blocks for i in range(block.size)}
