"""Two builds side by side; what retention would remove."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from rampa.core.check.findings import Finding
from rampa.core.content.tree.file_change import FileChange
from rampa.schema.builds.builds import BuildSummary
from rampa.schema.common import Number, Query, Wire
from rampa.schema.profiles.profiles import DifferenceOut
from rampa.schema.sources import CommitOut

FILES = 2000


class BuildPairQuery(Query):
    left: Number
    right: Number


class SizePair(Wire):
    """A folder or a step, before and after; bytes or seconds. Null where there is none."""

    name: str
    before: float | None
    after: float | None


class BuildComparison(Wire):
    """`files` are at most 2,000, those with most bytes first; the counts are of all. `commits` those that the right one has more,
    `commits_back` those that only the left one has."""

    left: BuildSummary
    right: BuildSummary
    settings: list[DifferenceOut]
    commits: list[CommitOut]
    commits_back: list[CommitOut]
    commits_said: str
    added: int
    removed: int
    changed: int
    moved: int
    unchanged: int
    files: list[FileChange]
    folders: list[SizePair]
    durations: list[SizePair]
    tools: list[ToolPair]
    findings_left: list[Finding]
    findings_right: list[Finding]
    same_native: bool | None


class ToolPair(Wire):
    name: str
    before: str
    after: str


class RetentionPolicy(Wire):
    """Of each profile the `keep_newest` newest builds stay, and what is younger than `keep_days`. Both 0: nothing ever goes."""

    keep_newest: Annotated[int, Field(ge=0, le=10_000)]
    keep_days: Annotated[int, Field(ge=0, le=36_500)]


class KeptBuild(Wire):
    """A build that is old enough to go, and why it stays."""

    number: int
    why: str


class RemoveIn(Wire):
    """The builds that the preview showed."""

    builds: Annotated[list[Number], Field(max_length=100_000)]


class RetentionOut(Wire):
    """What would go now. `frees` are bytes of packs that nothing else needs."""

    policy: RetentionPolicy
    removes: list[BuildSummary]
    keeps: list[KeptBuild]
    frees: int


BuildComparison.model_rebuild(force=True)
