"""Play sign-offs: checklists of a title, what testers ticked, what it comes to."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.core.testers.checklist import LARGEST
from rampa.core.testers.sign_off import MOST_PICTURES, PointVerdict, SignOffState
from rampa.schema.builds.builds import BuildSummary
from rampa.schema.common import Id, Query, Slug, Wire
from rampa.schema.testers import TestBuildPath, TesterNote

Remark = Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")]


class SignOffPath(TestBuildPath):
    checklist: Slug


class PicturePath(Query):
    picture: Id


class ChecklistsIn(Wire):
    """The whole file; docs/testers.md says its form."""

    text: Annotated[str, StringConstraints(max_length=LARGEST, pattern=r"^[^\x00]*$")]


class ChecklistPoint(Wire):
    """`text` in each language that it is said in; empty for the one of all. `failed_before`: when it was last looked at."""

    name: str
    text: list[TesterNote]
    picture: bool
    failed_before: bool = False


class ChecklistOut(Wire):
    """`platforms` and `purposes` empty: of every one."""

    name: str
    title: str
    platforms: list[str]
    purposes: list[str]
    points: list[ChecklistPoint]


class Checklists(Wire):
    """`number` of the file's state; 0: there is none yet."""

    number: int
    text: str
    items: list[ChecklistOut]
    created_by: str
    created_at: dt.datetime | None
    commit: str


class TickIn(Wire):
    """`verdict` null: not looked at yet."""

    point: Slug
    verdict: PointVerdict | None = None
    note: Remark = ""
    pictures: Annotated[list[Id], Field(max_length=MOST_PICTURES)] = []


class SignOffIn(Wire):
    """As far as it is. `finish`: it is the person's word from now on. `device`: what it was played on."""

    ticks: Annotated[list[TickIn], Field(max_length=200)]
    device: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00-\x1f\x7f]*$")] = ""
    finish: bool = False


class OwnSignOff(Wire):
    """One's own of a checklist; `state` null: not begun. Points that failed last time come first."""

    checklist: ChecklistOut
    state: SignOffState | None
    ticks: list[TickIn]
    device: str
    changed_at: dt.datetime | None
    finished_at: dt.datetime | None


class OwnSignOffs(Wire):
    items: list[OwnSignOff]


class MadePicture(Wire):
    """A picture that was sent, made smaller, upright, without where it was taken."""

    id: str
    width: int
    height: int


class FailedPoint(Wire):
    point: str
    text: list[TesterNote]
    note: str
    pictures: list[str]


class SignOffOut(Wire):
    """One person's on one checklist. `passed` of `points`; one that is unfinished counts for nothing."""

    person: str
    checklist: str
    title: str
    state: SignOffState
    device: str
    passed: int
    points: int
    failed: list[FailedPoint]
    notes: list[FailedPoint]
    """What was said of points that passed."""
    changed_at: dt.datetime
    finished_at: dt.datetime | None


class BuildSignOffs(Wire):
    """`wanted`: the checklists that are for the build. `signed`: who finished all of them with nothing failed."""

    build: BuildSummary
    wanted: list[str]
    signed: list[str]
    items: list[SignOffOut]


class ReleaseSignOffs(Wire):
    items: list[BuildSignOffs]
