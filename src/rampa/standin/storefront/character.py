"""What each simulated storefront is like: what it calls things, how long it takes, who reviews, what it can do. All made up."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from rampa.core.studio.verification import DocumentKind
from rampa.core.submission.life import SubmissionState
from rampa.schema.storefronts import Ability


class ReviewPolicy(StrEnum):
    """Who reviews: people on the storefront's own page, its machines soon, or its machines after a long wait."""

    PEOPLE = "people"
    AUTOMATIC = "automatic"
    SLOW = "slow"


@dataclass(frozen=True, slots=True)
class Waits:
    """Seconds of this machine's time, so that a day of a storefront's fits into a sitting."""

    unpack: float = 2
    check: float = 3
    line: float = 15
    review: float = 10
    promise: float = 300
    """Within which a verdict is promised to the studio."""
    claim: float = 900
    """How long a reviewer's claim holds without a word."""
    verify: float = 20
    """From the studio's documents to the word on them, where machines look at them."""


@dataclass(frozen=True)
class Character:
    """`there`: its own words for states; `reasons`: code -> words of its list of reasons for refusing."""

    name: str
    policy: ReviewPolicy
    waits: Waits
    abilities: tuple[Ability, ...]
    there: Mapping[SubmissionState, str]
    reasons: Mapping[str, str]
    colours: tuple[str, str]
    """Of its pages: ground and sign."""
    surprises: tuple[str, ...] = field(default=())
    """Names of checks of its own that nobody is told of before."""
    documents: tuple[DocumentKind, ...] = (DocumentKind.REGISTER, DocumentKind.ADDRESS)
    """What it asks for to verify a studio."""
    usual_days: int = 3
    """What it says that verifying takes."""


REASONS = {
    "permission": "A permission without a need that players see",
    "listing": "The listing promises what the build does not do",
    "picture": "A picture is not of this title",
    "crash": "It ended by itself while it was looked at",
    "rating": "The answers of the rating are not true of it",
    "other": "Something else; the words say what",
}

NORTHQUAY = Character(
    "northquay",
    ReviewPolicy.AUTOMATIC,
    Waits(),
    (Ability.SHARE, Ability.HOLD, Ability.ROLL_BACK, Ability.MOMENT, Ability.APPEAL),
    {
        SubmissionState.WAITING: "at the pier",
        SubmissionState.REVIEWING: "on the quay",
        SubmissionState.PASSED: "cleared",
        SubmissionState.LIVE: "sailing",
    },
    REASONS,
    ("#f4f1e8", "#24484a"),
    ("unfinished-names",),
)
MOSSGATE = Character(
    "mossgate",
    ReviewPolicy.PEOPLE,
    Waits(unpack=3, check=5),
    (Ability.SHARE, Ability.HOLD, Ability.APPEAL),
    {
        SubmissionState.WAITING: "before the gate",
        SubmissionState.REVIEWING: "at the gate",
        SubmissionState.PASSED: "let in",
        SubmissionState.LIVE: "growing",
    },
    REASONS,
    ("#fbfaf3", "#4c6420"),
    ("private-words",),
    (DocumentKind.REGISTER, DocumentKind.SIGNATORY),
    5,
)
VISORFIELD = Character(
    "visorfield",
    ReviewPolicy.SLOW,
    Waits(line=90, review=60, verify=60),
    (Ability.MOMENT, Ability.FIRST_BY_HAND),
    {
        SubmissionState.WAITING: "in the waiting room",
        SubmissionState.REVIEWING: "being worn",
        SubmissionState.PASSED: "fit to wear",
        SubmissionState.LIVE: "on show",
    },
    REASONS,
    ("#191526", "#3b2c63"),
    ("old-frames",),
    (DocumentKind.REGISTER,),
    10,
)
CHARACTERS = {c.name: c for c in (NORTHQUAY, MOSSGATE, VISORFIELD)}
