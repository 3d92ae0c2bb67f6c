"""The studio's own reviews: the queue, one review with everything about it, verdicts, times. Sizes are bytes, times UTC."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.core.bundle.frameworks import Framework
from rampa.core.check.findings import Finding
from rampa.core.content.tree.file_change import FileChange
from rampa.core.submission.expected import Usual
from rampa.core.submission.life import SubmissionState
from rampa.schema.common import Action, Note, Number, PageQuery, Query, Slug, SlugOrNone, Wire


class ReviewsQuery(PageQuery):
    """Of all titles that one reads. `view`: `open` for what waits for a verdict, `over` for the rest; `mine`: what one has
    claimed oneself."""

    view: Literal["open", "over", "all"] = "open"
    title: SlugOrNone = ""
    mine: bool = False


class ReviewOf(Query):
    title: Slug
    review: Number


class NewReview(Wire):
    """`hours`: within which a verdict is promised."""

    build: Number
    channel: Slug
    notes: Note = ""
    hours: Annotated[int, Field(ge=1, le=24 * 30)] = 24


class ReviewAct(Wire):
    """`note`, `ask`, `refuse`, `answer` and `appeal` take words; `about` is the place, as `permission camera`; `refuse` has a
    reason of the list."""

    act: Literal["claim", "lapse", "note", "ask", "refuse", "pass", "answer", "appeal", "withdraw"]
    text: Annotated[str, StringConstraints(max_length=8000, pattern=r"^[^\x00]*$")] = ""
    about: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00-\x1f\x7f]*$")] = ""
    reason: Annotated[str, StringConstraints(max_length=40, pattern=r"^[a-z-]*$")] = ""


class ReviewRowOut(Wire):
    """A line of the queue. `claimed_by` empty: it is free. `late` seconds past its promise, negative before."""

    number: int
    title: str
    title_name: str
    build: int
    build_name: str
    version_name: str
    platform: str
    """As people call it."""
    channel: str
    state: SubmissionState
    words: str
    made_by: str
    since: dt.datetime
    promised: dt.datetime
    late: float
    claimed_by: str
    claim_until: dt.datetime | None
    mine: bool


class ReviewWord(Wire):
    """`kind` says what it was; a `note` is among reviewers."""

    at: dt.datetime
    by: str
    kind: str
    text: str
    about: str
    reason: str


class EarlierReview(Wire):
    """What reviewers said of an earlier build for the same channel."""

    number: int
    build: int
    version_name: str
    state: SubmissionState
    words: str
    last: ReviewWord | None


class SinceLast(Wire):
    """What is other than in the last build that passed; `files` are those with most bytes."""

    build: int
    version_name: str
    added: int
    removed: int
    changed: int
    size_before: int
    permissions_new: list[str]
    permissions_gone: list[str]
    files: list[FileChange]


class ReviewedBuild(Wire):
    """The bundle as it says of itself, and what is inside. `permissions`: name -> the reason that players read."""

    version_code: int
    profile: str
    kind: str
    size: int
    files: int
    unpacked: int
    identifier: str
    minimum: str
    target: str
    architectures: list[str]
    signed_by: str
    permissions: dict[str, str]
    frameworks: list[Framework]
    commit: str
    release_notes: str


class ReviewedListing(Wire):
    """In its main language; `state` 0 where there is none."""

    state: int
    name: str
    short: str
    languages: list[str]
    pictures: int
    rated_by: str


class BuildReview(ReviewRowOut):
    notes: str
    reasons: dict[str, str]
    bundle: ReviewedBuild | None
    listing: ReviewedListing
    findings: list[Finding]
    since_last: SinceLast | None
    earlier: list[EarlierReview]
    said: list[ReviewWord]
    allowed_actions: list[Action]


class WeekOut(Wire):
    """Of the week from `monday` on. Times to the first verdict in seconds."""

    monday: dt.date
    count: int
    late: int
    usual: Usual | None


class ReviewTimes(Wire):
    weeks: list[WeekOut]
    all: Usual | None
