"""The review desk: what waits longest, who has it, what a verdict must say. For the studio's own reviewers and for those of the
simulated storefronts alike.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

from rampa.core.errors import Conflict, Invalid
from rampa.core.quantity import hours
from rampa.core.submission.expected import Usual, usual

CLAIM = dt.timedelta(minutes=15)
"""So long a claim holds without a word of whoever has it."""
PROMISE = dt.timedelta(hours=24)
"""So long after it was put there a verdict is promised, where nothing else is said."""
LONGEST_WORDS = 8000
REASONS = {
    "permission": "A permission without a need that players see",
    "listing": "The listing promises what the build does not do",
    "picture": "A picture is not of this title",
    "crash": "It ended by itself while it was looked at",
    "rating": "The answers of the rating are not true of it",
    "content": "Something inside is not to be shipped",
    "other": "Something else; the words say what",
}
"""Why something is refused; storefronts may have lists of their own."""
K = TypeVar("K")


@dataclass(frozen=True, slots=True)
class Queued:
    """`since` it waits, `promised` when a verdict was promised; `claimed_by` with `claim_until` who has it."""

    since: dt.datetime
    promised: dt.datetime
    claimed_by: str = ""
    claim_until: dt.datetime | None = None


def in_order(queue: Mapping[K, Queued]) -> list[K]:
    """By promise, then by age: what is late or soon will be comes first, however long others have waited."""
    return sorted(queue, key=lambda key: (queue[key].promised, queue[key].since))


def holder(queued: Queued, now: dt.datetime) -> str:
    """Who has it now; empty where nobody has, or no more."""
    return queued.claimed_by if queued.claim_until is not None and queued.claim_until > now else ""


def must_be_free(name: str, queued: Queued, who: str, now: dt.datetime) -> None:
    """Raises `Conflict` where somebody else has it."""
    has = holder(queued, now)
    if has and has != who:
        assert queued.claim_until is not None
        left = hours(max(60.0, (queued.claim_until - now).total_seconds()))
        hint = f"It is free again in {left}, or when {has} gives it back."
        raise Conflict("review.claimed", f"{has} has {name}", hint=hint)


def must_hold(name: str, queued: Queued, who: str, now: dt.datetime) -> None:
    """Raises `Conflict` where somebody else has it, or nobody: a claim that lapsed is claimed anew first."""
    must_be_free(name, queued, who, now)
    if not holder(queued, now):
        raise Conflict("review.not-yours", f"you do not have {name}", hint="Claim it first: it may have lapsed.")


def must_say(act: str, text: str, reason: str, reasons: Mapping[str, str]) -> None:
    """A question and a refusal are said in words; a refusal has a reason of the list. Raises `Invalid`."""
    if act in ("ask", "refuse") and not text.strip():
        raise Invalid("review.words", "say it in words: the studio has nothing else to go by", where="text")
    if act == "refuse" and reason not in reasons:
        hint = f"One of: {', '.join(reasons)}."
        raise Invalid("review.reason", "choose a reason from the list", where="reason", hint=hint)
    if len(text) > LONGEST_WORDS:
        raise Invalid("review.long", f"at most {LONGEST_WORDS:,} characters are kept", where="text")


@dataclass(frozen=True, slots=True)
class WeekOfVerdicts:
    """Of the week that begins at `monday` (UTC): `count` verdicts, `late` of them after their promise; times in seconds."""

    monday: dt.date
    count: int
    late: int
    usual: Usual | None


def by_week(verdicts: Iterable[tuple[dt.datetime, dt.datetime, dt.datetime]]) -> list[WeekOfVerdicts]:
    """(put there, promised, verdict) of each; oldest week first, weeks without a verdict left out."""
    weeks: dict[dt.date, list[tuple[float, bool]]] = {}
    for since, promised, said in verdicts:
        day = said.astimezone(dt.UTC).date()
        monday = day - dt.timedelta(days=day.weekday())
        weeks.setdefault(monday, []).append(((said - since).total_seconds(), said > promised))
    return [_week(monday, weeks[monday]) for monday in sorted(weeks)]


def _week(monday: dt.date, found: Sequence[tuple[float, bool]]) -> WeekOfVerdicts:
    return WeekOfVerdicts(monday, len(found), sum(late for _, late in found), usual(seconds for seconds, _ in found))
