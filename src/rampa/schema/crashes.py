"""Crashes: what a device sends of one, and the groups of the same place."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.core.health.crash import IDENT, MODULE, MOST_FRAMES, MOST_MODULES, REASON, CrashModule, CrashReport
from rampa.core.run.bisect import BisectState
from rampa.schema.common import Number, Page, PageQuery, Wire
from rampa.schema.sources import CommitOut
from rampa.schema.titles.titles import TitlePath

Address = Annotated[int, Field(ge=0, lt=2**63)]
Index = Annotated[int, Field(ge=0, lt=MOST_MODULES)]


class CrashModuleIn(Wire):
    """`name` without a folder; `build_id` in hexadecimal, empty for a module that has none."""

    name: Annotated[str, StringConstraints(pattern=f"^{MODULE.pattern}$")]
    build_id: Annotated[str, StringConstraints(pattern=f"^({IDENT.pattern})?$", max_length=128)] = ""


class CrashIn(Wire):
    """Modules, and frames as (module's place in the list, address as in its file), innermost first. Nothing of a person."""

    reason: Annotated[str, StringConstraints(pattern=f"^{REASON.pattern}$")]
    modules: Annotated[list[CrashModuleIn], Field(max_length=MOST_MODULES)]
    frames: Annotated[list[tuple[Index, Address]], Field(min_length=1, max_length=MOST_FRAMES)]

    def report(self) -> CrashReport:
        """Raises `Invalid` for a frame whose module is not listed."""
        modules = tuple(CrashModule(m.name, m.build_id) for m in self.modules)
        return CrashReport(self.reason, modules, tuple(self.frames))


def crash_in(report: CrashReport) -> CrashIn:
    modules = [CrashModuleIn(name=m.name, build_id=m.build_id) for m in report.modules]
    return CrashIn(reason=report.reason, modules=modules, frames=list(report.frames))


class CrashPath(TitlePath):
    crash: Number


class CrashQuery(PageQuery):
    """Of the last 30 days. `build`: those that this build had; `new`: only those that no build before it had."""

    build: Number | None = None
    new: bool = False
    search: Annotated[str, StringConstraints(max_length=100, pattern=r"^[^\x00]*$")] | None = None
    sort: Literal["crashes", "devices", "newest"] = "crashes"


class CrashCount(Wire):
    """Of one class of device, system level or build."""

    name: str
    crashes: int
    devices: int


class CrashSummary(Wire):
    """A group of crashes of the same place. `place` is the innermost function, with its file and line in the first build.

    Counts are of the last 30 days, and of the build that was asked for. `new`: no build before that one had it.
    """

    name: str
    number: int
    place: str
    reason: str
    crashes: int
    devices: int
    simulated: int
    """Of these devices, how many say that they are simulated."""
    first_build: str
    first_build_number: int
    last_at: dt.datetime | None
    new: bool
    forms: list[CrashCount]


class CrashPage(Page[CrashSummary]):
    waiting: int
    """Stacks whose symbols are still being looked for."""


class CrashPlaceOut(Wire):
    function: str
    file: str
    line: int


class CrashFrameOut(Wire):
    """`places` innermost first, more than one where code was inlined; none without symbols."""

    module: str
    address: str
    """Hexadecimal, as in the module's file."""
    places: list[CrashPlaceOut]


class CrashStackOut(Wire):
    """One of a group's stacks, in the build that had it most."""

    build: str
    crashes: int
    frames: list[CrashFrameOut]


class CrashBisect(Wire):
    """A search for the commit that brought it; `commit` is empty where it has not ended with one."""

    number: int
    state: BisectState
    commit: str


class CrashGroup(CrashSummary):
    """`commits`: between the newest build before that had no such crash (`before`, empty for none) and the first that had it."""

    title: str
    builds: list[CrashCount]
    levels: list[CrashCount]
    stacks: list[CrashStackOut]
    before: str
    before_number: int
    commits: list[CommitOut]
    commits_said: str
    """Why no commits can be told."""
    bisects: list[CrashBisect]
    """Newest first."""
