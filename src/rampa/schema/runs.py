"""Runs on the wire: planning, starting, watching. Seconds are of wall time."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.core.agent.life import AgentState
from rampa.core.check.findings import Finding
from rampa.core.run.causes import Cause
from rampa.core.run.life import RunState, StepState
from rampa.core.run.step import Step
from rampa.schema.common import Action, Number, PageQuery, Query, Slug, SlugOrNone, Wire
from rampa.schema.titles.titles import TitlePath

Ref = Annotated[str, StringConstraints(max_length=250, pattern=r"^[^\x00-\x20~^:?*\[\\\x7f]*$")]
Words = Annotated[str, StringConstraints(max_length=500, pattern=r"^[^\x00]*$")]


class RunPath(TitlePath):
    run: Number


class NewRuns(Wire):
    """Runs of several profiles on one commit. `of` is a branch, a tag or a commit; or `folder`, an uploaded one.

    Neither: the repository's own branch. `step_variables` instead of the group that profile or branch name.
    """

    profiles: Annotated[list[Slug], Field(max_length=100)] = []
    of: Ref = ""
    folder: Number | None = None
    step_variables: SlugOrNone = ""
    version_name: Annotated[str, StringConstraints(max_length=64)] = ""
    note: Words = ""
    reproduces: Number | None = None
    """A build that is made again, without a version code of its own, to see whether its bundle gets the same bytes."""


class PlanAgent(Wire):
    """`lacks` is empty for an agent that can do it."""

    name: str
    state: AgentState
    lacks: list[str]
    toolchain: str


class NativePlan(Wire):
    """Whether the native part has to be made again. `changed` are files and settings since build `since` (at most 50)."""

    needed: bool
    since: int
    changed: list[str]
    said: str


class Plan(Wire):
    """What a run would do. `variables` and `secrets` are names."""

    profile: str
    platform: str
    platform_title: str
    purpose: str
    revision: int
    commit: str
    subject: str
    ref: str
    folder: int
    step_variables: str
    variables: list[str]
    secrets: list[str]
    steps: list[Step]
    toolchain: str
    agents: list[PlanAgent]
    findings: list[Finding]
    stops: list[str]
    native: NativePlan | None
    expected: float | None
    version_name: str
    next_code: int


class PlanList(Wire):
    plans: list[Plan]


class RunSummary(Wire):
    """A run in a list. `step` is the name of the one that it is at; `expected` seconds in all, `left` seconds left."""

    name: str
    title: str
    number: int
    together: str
    profile: str
    platform: str
    purpose: str
    state: RunState
    commit: str
    subject: str
    ref: str
    folder: int
    why: str
    trigger: str
    started_by: str
    note: str
    created_at: dt.datetime
    taken_at: dt.datetime | None
    ended_at: dt.datetime | None
    seconds: float
    attempt: int
    agent: str
    step: str
    step_number: int
    step_count: int
    step_seconds: float
    step_expected: float | None
    progress: float | None
    silent: float
    """Seconds since its last line, when that is longer than its step allows; else 0."""
    expected: float | None
    left: float | None
    waits_for: str
    cause: Cause | None
    superseded_by: int
    build: int
    log_lines: int
    errors: int
    warnings: int


class RunStepOut(Wire):
    name: str
    kind: str
    position: int
    state: StepState
    """waiting, working, done, failed, left-out, stopped or not-reached."""
    started_at: dt.datetime | None
    seconds: float | None
    expected: float | None
    tries: int
    said: str
    first_line: int


class Attempt(Wire):
    number: int
    steps: list[RunStepOut]


class LogKindOut(Wire):
    """Errors or warnings that say the same but for names and numbers."""

    level: str
    example: str
    count: int
    first_line: int
    lines: list[int]


class Run(RunSummary):
    revision: int
    step_variables: str
    version_name: str
    nearest: str
    approved_by: list[str]
    approvals_missing: int
    """How many more people must approve it before its identity signs."""
    wanted: dict[str, str]
    attempts: list[Attempt]
    kinds: list[LogKindOut]
    first_error: int
    tail: list[LineOut]
    allowed_actions: list[Action]


class RunList(Wire):
    """Runs that were started together."""

    items: list[RunSummary]


class RunQuery(PageQuery):
    """Newest first. `state` may also be `open`: waiting, working or stopping."""

    state: Annotated[str, StringConstraints(max_length=20, pattern=r"^[a-z]*$")] | None = None
    profile: Slug | None = None
    ref: Ref | None = None
    why: Literal["manual", "trigger", "schedule", "call", "repeat", "bisect"] | None = None
    search: Annotated[str, StringConstraints(max_length=100, pattern=r"^[^\x00]*$")] | None = None


class LineOut(Wire):
    """A line of a log. `number` counts from 1 over all attempts."""

    number: int
    ms: int
    step: int
    level: str
    text: str


class LogQuery(Query):
    """Lines from number `start`; at most `limit`."""

    start: Annotated[int, Field(ge=1, le=2**40)] = 1
    limit: Annotated[int, Field(ge=1, le=20_000)] = 2000


class LogOut(Wire):
    """`lines` is the count of the whole log so far. Rows are [ms, step, level, text], the first has the number `start`."""

    start: int
    lines: int
    rows: list[tuple[int, int, str, str]]
    ended: bool


class SearchQuery(Query):
    """Case does not count. `limit` numbers at most."""

    text: Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^[^\x00]*$")]
    limit: Annotated[int, Field(ge=1, le=5000)] = 1000


class SearchOut(Wire):
    """Numbers of the lines that hold the text; `more` when there are others."""

    numbers: list[int]
    more: bool


class StreamQuery(Query):
    """`after`: the last event that was seen, where the header Last-Event-ID cannot be sent."""

    after: Annotated[int, Field(ge=0, le=2**60)] = 0


class QueueItem(Wire):
    title: str
    run: RunSummary
    place: int
    """From 1, in the order in which they are given to agents; 0 for one that is worked on."""


class Queue(Wire):
    """What waits for what, and why."""

    items: list[QueueItem]
    agents: list[QueueAgent]
    at: dt.datetime


class QueueAgent(Wire):
    name: str
    state: AgentState
    at_once: int
    busy: int


Run.model_rebuild(force=True)
Queue.model_rebuild(force=True)
