"""Changes of a document's text, line by line: the difference of two, and two people's changes merged.

Comparing lines can take time that grows with their square. Texts that no person wrote (tens of thousands of lines in
another order) are therefore compared by what they begin and end with alike, and as a whole between.
"""

from __future__ import annotations

import difflib
from dataclasses import dataclass

MAX_MIDDLE = 4000
"""Lines between the common beginning and end that are compared one by one."""
CONTEXT = 3


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
            # Runs that go on in all three texts are one: clashes are then as few and as short as they can be.
            if out and all(last + out[-1][3] == now for last, now in zip(out[-1][:3], here, strict=True)):
                out[-1] = (*out[-1][:3], out[-1][3] + 1)
            else:
                out.append((*here, 1))
    # The last anchor: what comes behind the last common line is a part, too.
    out.append((len(old), len(a), len(b), 0))
    return out


def _matches(old: list[str], new: list[str]) -> dict[int, int]:
    head, tail = _ends(old, new)
    pairs = {i: i for i in range(head)}
    pairs |= {len(old) - 1 - i: len(new) - 1 - i for i in range(tail)}
    inner_old, inner_new = old[head : len(old) - tail], new[head : len(new) - tail]
    if max(len(inner_old), len(inner_new)) <= MAX_MIDDLE:
        blocks = difflib.SequenceMatcher(None, inner_old, inner_new).get_matching_blocks()
        pairs |= {head + b.a + i: head + b.b + i for b in blocks for i in range(b.size)}
    return pairs


def _ends(old: list[str], new: list[str]) -> tuple[int, int]:
    """How many lines the two begin and end with alike; the ends do not overlap."""
    shorter = min(len(old), len(new))
    head = 0
    while head < shorter and old[head] == new[head]:
        head += 1
    tail = 0
    while tail < shorter - head and old[-1 - tail] == new[-1 - tail]:
        tail += 1
    return head, tail


def difference(old: str, new: str, name_old: str, name_new: str) -> str:
    """A unified diff of two texts; empty when they are the same."""
    a, b = old.splitlines(), new.splitlines()
    head, tail = _ends(a, b)
    if max(len(a), len(b)) - head - tail > MAX_MIDDLE:
        gone, come = len(a) - head - tail, len(b) - head - tail
        place = f"@@ -{head + 1},{gone} +{head + 1},{come} @@"
        return "\n".join(
            [f"--- {name_old}", f"+++ {name_new}", place, f" {gone} lines become {come}: too many to show"]
        )
    return "\n".join(difflib.unified_diff(a, b, name_old, name_new, lineterm="", n=CONTEXT))
