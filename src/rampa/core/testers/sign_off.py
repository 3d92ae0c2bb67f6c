"""A play sign-off's life: one person's word on one checklist of one build.

    unfinished ---save----> unfinished
        |  ^------reopen---- finished
        `---------finish--------^

Unfinished: kept as far as the person came; it counts for nothing. Finished: their word, with what failed; reopened, it counts for
nothing until it is finished again.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from rampa.core.errors import Invalid, Refused
from rampa.core.quantity import counted
from rampa.core.testers.checklist import Checklist


class SignOffState(StrEnum):
    UNFINISHED = "unfinished"
    FINISHED = "finished"


class SignOffEvent(StrEnum):
    SAVE = "save"
    FINISH = "finish"
    REOPEN = "reopen"


class PointVerdict(StrEnum):
    PASSED = "passed"
    FAILED = "failed"


TRANSITIONS = {
    (SignOffState.UNFINISHED, SignOffEvent.SAVE): SignOffState.UNFINISHED,
    (SignOffState.UNFINISHED, SignOffEvent.FINISH): SignOffState.FINISHED,
    (SignOffState.FINISHED, SignOffEvent.REOPEN): SignOffState.UNFINISHED,
}
MOST_PICTURES = 6
"""Of one point."""


@dataclass(frozen=True)
class Tick:
    """What a person said of a point. `pictures`: their numbers."""

    point: str
    verdict: PointVerdict | None = None
    note: str = ""
    pictures: tuple[str, ...] = ()


def check_ticks(checklist: Checklist, ticks: Sequence[Tick]) -> None:
    """Raises `Invalid` for a point that the checklist does not have, or that is ticked twice."""
    known = {p.name for p in checklist.points}
    seen: set[str] = set()
    for tick in ticks:
        if tick.point not in known:
            raise Invalid("sign-off.point", f"{checklist.name} has no point {tick.point!r}", where="ticks")
        if tick.point in seen:
            raise Invalid("sign-off.point", f"the point {tick.point!r} is there twice", where="ticks")
        if len(tick.pictures) > MOST_PICTURES:
            raise Invalid("sign-off.pictures", f"a point takes {MOST_PICTURES} pictures at most", where=tick.point)
        seen.add(tick.point)


def must_be_whole(checklist: Checklist, ticks: Sequence[Tick]) -> None:
    """Every point is ticked, a failed one says what was seen, and a picture is there where one is asked for. Raises `Refused`."""
    by_point = {t.point: t for t in ticks}
    left = [p.name for p in checklist.points if by_point.get(p.name, Tick(p.name)).verdict is None]
    if left:
        said = f"{counted(len(left), 'point is', 'points are')} not ticked yet: {', '.join(left[:5])}"
        raise Refused("sign-off.open", said, where=left[0])
    for point in checklist.points:
        tick = by_point[point.name]
        if tick.verdict is PointVerdict.FAILED and not tick.note.strip():
            raise Refused("sign-off.note", f"say what you saw at {point.name}, which failed", where=point.name)
        if point.picture and not tick.pictures:
            raise Refused("sign-off.picture", f"{point.name} asks for a picture", where=point.name)


def failed_points(ticks: Iterable[Tick]) -> tuple[str, ...]:
    return tuple(t.point for t in ticks if t.verdict is PointVerdict.FAILED)


@dataclass(frozen=True)
class SignedOff:
    """A finished one, for the gate."""

    person: str
    checklist: str
    failed: tuple[str, ...]


def signed_by(wanted: Iterable[str], finished: Iterable[SignedOff]) -> tuple[str, ...]:
    """People who finished every one of the wanted checklists with nothing failed, in order of their names."""
    needed = set(wanted)
    done: dict[str, set[str]] = {}
    for one in finished:
        if not one.failed:
            done.setdefault(one.person, set()).add(one.checklist)
    return tuple(sorted(person for person, lists in done.items() if needed and needed <= lists))


def failures(finished: Iterable[SignedOff]) -> Mapping[str, tuple[str, ...]]:
    """Failed point -> who saw it fail."""
    found: dict[str, list[str]] = {}
    for one in finished:
        for point in one.failed:
            found.setdefault(point, []).append(one.person)
    return {point: tuple(people) for point, people in found.items()}
