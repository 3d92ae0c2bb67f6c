"""What of a studio ends when: one list of moments, and which of them people are reminded of."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from enum import StrEnum

REMIND = (30, 7, 1)
"""Days before an end at which people are reminded, once each."""
RATING_HOLDS = dt.timedelta(days=365)
"""So long an affirmation of a title's rating holds: then somebody reads the answers again."""


class EndingKind(StrEnum):
    CERTIFICATE = "certificate"
    ACCOUNT = "account"
    VERIFICATION = "verification"
    RATING = "rating"
    AGREEMENT = "agreement"
    GRANT = "grant"
    TOKEN = "token"
    TRUST = "trust"


KIND_WORDS = {
    EndingKind.CERTIFICATE: "signing certificate",
    EndingKind.ACCOUNT: "account at a storefront",
    EndingKind.VERIFICATION: "verification of the studio",
    EndingKind.RATING: "age rating",
    EndingKind.AGREEMENT: "agreement",
    EndingKind.GRANT: "grant for test devices",
    EndingKind.TOKEN: "token",
    EndingKind.TRUST: "root of trust",
}


@dataclass(frozen=True)
class Ending:
    """`key` names it for ever; `mend`: the command that puts its end off. `person`: whose it is alone, empty for the studio's."""

    key: str
    kind: EndingKind
    name: str
    ends: dt.datetime
    mend: str
    title: str = ""
    person: str = ""


def in_order(endings: Iterable[Ending]) -> list[Ending]:
    """What ends first stands first."""
    return sorted(endings, key=lambda e: (e.ends, e.kind, e.key))


def days_left(ending: Ending, now: dt.datetime) -> int:
    """Whole days, rounded up; 0 on the day and after it."""
    seconds = (ending.ends - now).total_seconds()
    return max(0, -int(-seconds // 86_400))


def reminder(ending: Ending, now: dt.datetime, told: Collection[int]) -> int | None:
    """The days at which it is due to be reminded of, once; None where it is not. What was missed is said once, not thrice."""
    if ending.ends <= now:
        return None
    due = [days for days in REMIND if days_left(ending, now) <= days]
    return min(due) if due and min(due) not in told else None
