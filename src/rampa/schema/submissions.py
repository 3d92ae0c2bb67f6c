"""Submissions: a plan, what was put before a storefront, how it goes, what is done about it. Sizes are bytes, times UTC."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.core.check.findings import Finding
from rampa.core.submission.course import Course
from rampa.core.submission.expected import Usual
from rampa.core.submission.life import SubmissionState
from rampa.core.submission.needs import NeedKey, NeedState
from rampa.schema.common import Action, Note, Number, PageQuery, Query, Slug, SlugOrNone, Wire
from rampa.schema.storefronts import Ability, FoundAt, Going, Happened, Share, WordSaid


class SubmissionsQuery(PageQuery):
    """`open`: only those of which something more comes; `storefront`, `build`: of one."""

    open: bool = False
    storefront: SlugOrNone = ""
    build: Number | None = None


class SubmissionOf(Query):
    title: Slug
    submission: Number


class PlanQuery(Query):
    """Of a build or a release. `to`: storefronts by their short names, as `northquay,mossgate`; empty: each build's own.
    `replaces`: the submission that this mends."""

    build: Number | None = None
    release: Number | None = None
    replaces: Number | None = None
    to: Annotated[str, StringConstraints(max_length=300, pattern=r"^[a-z0-9,-]*$")] = ""


class NeedOut(Wire):
    """`mend`: the command that mends it."""

    key: NeedKey
    title: str
    state: NeedState
    said: str
    mend: str
    findings: list[Finding]


class PlanFor(Wire):
    """One build at one storefront. `there`: the submission that it has there already, which needs nothing more; 0 for none."""

    storefront: str
    storefront_title: str
    simulated: bool
    build: int
    build_name: str
    platform: str
    version_name: str
    version_code: int
    size: int
    needs: list[NeedOut]
    ready: bool
    there: int
    abilities: list[Ability]


class SubmissionPlan(Wire):
    """`notes`, `going` and `share`: what was said last for this title, offered again."""

    title: str
    items: list[PlanFor]
    notes: str
    going: Going
    share: int
    allowed_actions: list[Action]


class NewSubmissions(Wire):
    """A build or a release, to each build's own storefront or to those that `to` names. `wait`: what passes early waits until the
    slowest passed, too, and then all go live together. `replaces`: the number of the refused one that this mends."""

    build: Number | None = None
    release: Number | None = None
    to: Annotated[list[Slug], Field(max_length=10)] = []
    notes: Note = ""
    going: Going = Going.BY_ACT
    at: dt.datetime | None = None
    share: Share = 100
    wait: bool = False
    replaces: Number | None = None


class SubmissionAct(Wire):
    """`answer` and `appeal` take words, `go-live` and `share` a share; `stop`, `go-on-sending`, `send-again`, `withdraw`, `hold`,
    `go-on`, `roll-back` nothing."""

    act: Annotated[
        str,
        StringConstraints(
            pattern=r"^(stop|go-on-sending|send-again|answer|appeal|withdraw|go-live|share|hold|go-on|roll-back)$"
        ),
    ]
    text: Note = ""
    share: Share | None = None


class Stage(Wire):
    """One state on the way. `began` null: it did not come to it yet; `usual` null: too few went before."""

    state: SubmissionState
    words: str
    there: str
    began: dt.datetime | None
    ended: dt.datetime | None
    usual: Usual | None


class Upload(Wire):
    """`rate` in bytes a second, 0 where nothing moves; `left` seconds, null where it is not known."""

    sent: int
    size: int
    rate: float
    left: float | None


class SubmissionRowOut(Wire):
    """A line of a list. `words` says where it is, `there` how the storefront calls that; `said` what a person must do or know."""

    number: int
    title: str
    build: int
    build_name: str
    version_name: str
    version_code: int
    platform: str
    storefront: str
    storefront_title: str
    course: Course
    state: SubmissionState | None
    words: str
    there: str
    ahead: int | None
    share: int
    held: bool
    said: str
    upload: Upload | None
    made_by: str
    created_at: dt.datetime
    moved_at: dt.datetime
    over: bool


class SubmissionOut(SubmissionRowOut):
    """`hand_in`: the page where a person hands in the bundle; `changed`: what is new since the one that it mends; `set_back`:
    the storefront knows less than it did."""

    notes: str
    going: Going
    going_at: dt.datetime | None
    wait: bool
    replaces: int | None
    mended_by: int | None
    changed: list[str]
    listing: int
    languages: list[str]
    permissions: dict[str, str]
    rating: str
    hand_in: str
    set_back: str
    stages: list[Stage]
    events: list[Happened]
    reviewers: list[WordSaid]
    findings: list[SubmissionFinding]
    verdict: Usual | None
    looked_at: dt.datetime | None
    allowed_actions: list[Action]


class SubmissionFinding(FoundAt):
    """What the storefront's machines found. `rule`: the studio's check made of it."""

    rule: str = ""


class MadeSubmissions(Wire):
    items: list[SubmissionOut]


class RuleIn(Wire):
    """One rule as TOML; or made of the `found`-th finding (from 1) of a submission."""

    text: Annotated[str, StringConstraints(max_length=16_000, pattern=r"^[^\x00]*$")] = ""
    title: SlugOrNone = ""
    submission: Number | None = None
    found: Number | None = None


class RuleOut(Wire):
    """`made_of`: the finding of a storefront that it comes from."""

    name: str
    text: str
    says: str
    severity: str
    storefronts: list[str]
    made_of: str
    made_by: str
    created_at: dt.datetime


class RuleList(Wire):
    items: list[RuleOut]
    allowed_actions: list[Action]


class RulePath(Query):
    rule: Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9-]{0,59}$")]
