"""Finding the commit: what is asked, how it stands, what it came to."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.core.run.bisect import BisectState, By, TrialState
from rampa.schema.common import Action, Number, Page, PageQuery, Slug, Wire
from rampa.schema.runs import Ref
from rampa.schema.titles.titles import TitlePath

End = Annotated[Ref, StringConstraints(min_length=1)]


class BisectPath(TitlePath):
    bisect: Number


class NewBisect(Wire):
    """`good` and `bad`: a build's number, or a branch, tag or commit. `subject`: the crash group's number, the path whose size
    counts, or the step whose time does. `profile`: what is built to try; the bad build's own by default.

    `limit`: bad above it, in bytes or seconds; halfway between the two ends by default. `form`: the class of device that the
    self-test is told; for a crash by default the one that has it most.
    """

    good: End
    bad: End
    by: By
    subject: Annotated[str, StringConstraints(max_length=300, pattern=r"^[^\x00-\x1f]*$")] = ""
    profile: Slug | None = None
    limit: Annotated[float, Field(ge=0, le=1e15)] | None = None
    form: Annotated[str, StringConstraints(max_length=40, pattern=r"^[A-Za-z0-9._ +-]*$")] = ""


class BisectPlan(Wire):
    """What it would do: `commits` between the ends, `known` of them without a run; `rounds` at most, `at_once` runs in each.

    `takes_codes`: every run makes a build, with a version code; else they end with their bundle and leave nothing.
    """

    profile: str
    by: By
    subject: str
    form: str
    good_commit: str
    bad_commit: str
    commits: int
    known: int
    rounds: int
    at_once: int
    expected: float | None
    """Seconds, as the profile's runs took before."""
    takes_codes: bool


class BisectCommit(Wire):
    """`state` null: not tried. `again`: told by what was there, without a run. `value` in bytes or seconds."""

    position: int
    commit: str
    subject: str
    author: str
    at: dt.datetime | None
    state: TrialState | None
    run: int
    run_state: str
    build: int
    again: bool
    value: float | None
    said: str
    inside: bool
    """Whether it can still be the one, or is it."""


class BisectSummary(Wire):
    name: str
    number: int
    title: str
    profile: str
    by: By
    subject: str
    about: str
    """What is looked for, as words: `crash fog_at, src/fog.c:22`."""
    form: str
    good: str
    bad: str
    state: BisectState
    said: str
    commits: int
    left: int
    """Commits that can still be the one."""
    started_by: str
    created_at: dt.datetime
    ended_at: dt.datetime | None


class Bisect(BisectSummary):
    """`found` is the one commit, or null; where the range is all that can be told, `inside` says which they are."""

    limit: float | None
    good_value: float | None
    bad_value: float | None
    rounds_left: int
    expected: float | None
    items: list[BisectCommit]
    found: BisectCommit | None
    allowed_actions: list[Action]


class BisectPage(Page[BisectSummary]):
    pass


class BisectQuery(PageQuery):
    """Newest first."""

    state: BisectState | None = None


class CommitDiff(Wire):
    """What a commit changed, as git shows it; `cut` when it is longer than what is shown."""

    commit: str
    subject: str
    author: str
    at: dt.datetime
    text: str
    cut: bool
