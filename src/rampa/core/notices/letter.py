"""A letter about what happened: one event, or many as a digest that is as long for ten thousand of them as for fifty."""

from __future__ import annotations

import datetime as dt
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from rampa.core.notices.kinds import KINDS, NoticeKind
from rampa.core.quantity import counted

SHOWN = 6
"""Of one kind in one title."""
PARTS = 24


@dataclass(frozen=True)
class Told:
    """One event as a sentence; `title` empty for what belongs to none."""

    kind: NoticeKind
    title: str
    at: dt.datetime
    sentence: str


@dataclass(frozen=True)
class NoticeLetter:
    subject: str
    text: str


def write_letter(told: Sequence[Told], total: int, address: str, *, daily: bool) -> NoticeLetter:
    """`told`: the newest of `total` events; `address` of the console, empty where nobody said it."""
    titles = sorted({t.title for t in told if t.title})
    if total == 1:
        subject = told[0].sentence
    else:
        of = f" in {titles[0]}" if len(titles) == 1 else ""
        subject = f"{counted(total, 'thing')} happened{of}"
        subject = f"Yesterday: {subject}" if daily else subject
    lines = ["What happened since the last letter:" if daily else "What happened:", ""]
    lines += _parts(told)
    if total > len(told):
        lines.append(f"… and {total - len(told):,} more.")
    where = f"{address}/events" if address else "the console, under Events"
    lines += ["", f"All of it: {where}", f"What you are told of, and when: {address or 'the console'}/account"]
    return NoticeLetter(subject[:180], "\n".join(lines))


def _parts(told: Sequence[Told]) -> list[str]:
    parts: dict[tuple[str, NoticeKind], list[Told]] = defaultdict(list)
    for each in told:
        parts[each.title, each.kind].append(each)
    lines = []
    for (title, kind), events in sorted(parts.items())[:PARTS]:
        lines.append(f"{title or 'The studio'}: {KINDS[kind].words} ({len(events):,})")
        newest = sorted(events, key=lambda e: e.at, reverse=True)
        lines += [f"  {e.at:%H:%M} UTC  {e.sentence}" for e in newest[:SHOWN]]
        if len(events) > SHOWN:
            lines.append(f"  … and {len(events) - SHOWN:,} before these.")
        lines.append("")
    return lines
