"""What `rampa content` answers; sizes are bytes, times seconds."""

from __future__ import annotations

from typing import Annotated

from pydantic import StringConstraints

from rampa.core.check.findings import Finding
from rampa.core.content.depots.preview import Preview
from rampa.core.content.pack.trials import RATES, Tuned
from rampa.schema.common import Query, Wire
from rampa.schema.layout import LayoutChoice


class PreviewRow(Wire):
    path: str
    size: int
    inside: bool
    rule: str
    origin: str
    leftover: str
    depots: list[str]


class LeftoverLine(Wire):
    path: str
    size: int
    why: str


class LackingLine(Wire):
    """`path` needs the library `name`, and nothing brings it."""

    path: str
    name: str


class PreviewOut(Wire):
    folder: str
    profile: str
    files: int
    size: int
    out_files: int
    out_size: int
    unmatched: int
    leftovers: list[LeftoverLine]
    lacking: list[LackingLine]
    findings: list[Finding]
    rows: list[PreviewRow]


class TuneLevel(Wire):
    """`waits`: seconds that a player waits, by Mbit/s."""

    level: int
    packed: int
    packing: float
    unpacking: float
    waits: dict[int, float]


class EndingOut(Wire):
    ending: str
    size: int
    ratio: float
    long_ratio: float
    filtered_ratio: float
    rule: str


class TunedOut(Wire):
    """`players`: ways of packing for players, where they were asked for. `rules`: for the profile document."""

    size: int
    sample: int
    levels: list[TuneLevel]
    endings: list[EndingOut]
    skipped: list[int]
    best: int
    why: str
    players: LayoutChoice | None = None
    rules: str = ""


def preview_out(folder: str, profile: str, seen: Preview, findings: list[Finding]) -> PreviewOut:
    inside = seen.inside
    outside = [r for r in seen.rows if not r.inside]
    return PreviewOut(
        folder=folder,
        profile=profile,
        files=len(inside),
        size=sum(r.size for r in inside),
        out_files=len(outside),
        out_size=sum(r.size for r in outside),
        unmatched=len(seen.unmatched),
        leftovers=[LeftoverLine(path=r.path, size=r.size, why=r.leftover) for r in seen.leftovers],
        lacking=[LackingLine(path=x.path, name=x.name) for x in seen.lacking],
        findings=findings,
        rows=[
            PreviewRow(
                path=r.path,
                size=r.size,
                inside=r.inside,
                rule=r.rule,
                origin=r.origin,
                leftover=r.leftover,
                depots=list(r.depots),
            )
            for r in seen.rows
        ],
    )


def tuned_out(found: Tuned) -> TunedOut:
    return TunedOut(
        size=found.size,
        sample=found.sample,
        levels=[
            TuneLevel(
                level=m.level,
                packed=m.packed,
                packing=round(m.packing, 3),
                unpacking=round(m.unpacking, 3),
                waits={r: round(m.waits(r), 2) for r in RATES},
            )
            for m in found.levels
        ],
        endings=[
            EndingOut(
                ending=e.ending,
                size=e.size,
                ratio=round(e.ratio, 4),
                long_ratio=round(e.long_ratio, 4),
                filtered_ratio=round(e.filtered_ratio, 4),
                rule=e.rule,
            )
            for e in found.endings
        ],
        skipped=list(found.skipped),
        best=found.best,
        why=found.why,
    )


class FolderQuery(Query):
    folder: Annotated[str, StringConstraints(max_length=1100)] = ""


class FolderLine(Wire):
    """A folder: what goes in below it, and what stays out."""

    name: str
    files: int
    size: int
    out_files: int
    out_size: int


class FileLine(Wire):
    """`why`: the depot that delivers it, or the rule that keeps it out, with the place that says so."""

    name: str
    size: int
    inside: bool
    why: str
    origin: str


class MapPiece(Wire):
    """A rectangle of a treemap, in the folder `folder` (empty: directly here)."""

    folder: str
    name: str
    size: int
    inside: bool


class ContentFolder(Wire):
    """One folder of a build, largest first. `folders_left` and `rows_left` count what is not listed."""

    path: str
    files: int
    size: int
    out_files: int
    out_size: int
    folders: list[FolderLine]
    folders_left: int
    rows: list[FileLine]
    rows_left: int
    map: list[MapPiece]
