"""What a profile would take of a folder, before anything is built: each file with its rule, leftovers, what is missing."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

from rampa.core import parallel
from rampa.core.content.depots.depots import DepotRule, takers
from rampa.core.content.select.file_traits import look
from rampa.core.content.select.leave_out_classes import LEAVE_OUT_CLASSES
from rampa.core.content.select.provided_libraries import Lacking, lacking
from rampa.core.content.select.selection import NO_RULE, ContentRules, Selection, select
from rampa.core.content.tree.chosen_files import Selected
from rampa.core.patterns import read_patterns


@dataclass(frozen=True, slots=True)
class PreviewedFile:
    """One file: `rule` let it in or keeps it out; `leftover` says why it is likely not meant to ship, where it goes in."""

    path: str
    size: int
    inside: bool
    rule: str
    origin: str
    leftover: str = ""
    depots: tuple[str, ...] = ()


@dataclass(frozen=True)
class Preview:
    """`rows` sorted by path. `selection` is what was looked at."""

    rows: tuple[PreviewedFile, ...]
    lacking: tuple[Lacking, ...]
    selection: Selection

    @property
    def inside(self) -> list[PreviewedFile]:
        return [r for r in self.rows if r.inside]

    @property
    def unmatched(self) -> list[PreviewedFile]:
        return [r for r in self.rows if not r.inside and r.rule == NO_RULE]

    @property
    def leftovers(self) -> list[PreviewedFile]:
        return [r for r in self.rows if r.leftover]


@dataclass
class PreviewedFolder:
    """A folder of the tree. Bytes and counts are of everything below it."""

    name: str
    folders: dict[str, PreviewedFolder] = field(default_factory=dict)
    rows: list[PreviewedFile] = field(default_factory=list)
    files: int = 0
    size: int = 0
    out_files: int = 0
    out_size: int = 0


def preview(
    root: Path, rules: ContentRules, depots: tuple[DepotRule, ...] = (), platform: str = "", also: tuple[str, ...] = ()
) -> Preview:
    """Reads names, and the first bytes of what goes in. Raises as `select` does."""
    found = select(root, rules)
    by_depot = takers(depots)
    rows = [
        PreviewedFile(
            f.path, f.size, True, *_let_in(rules, f), leftover, tuple(n for n, takes in by_depot if takes(f.path))
        )
        for f, leftover in _leftovers(root, rules, found.files)
    ]
    rows += [PreviewedFile(o.path, o.size, False, o.why, o.origin) for o in found.left_out]
    missing = lacking(found, platform, also) if platform else []
    return Preview(tuple(sorted(rows, key=lambda r: r.path)), tuple(missing), found)


def _let_in(rules: ContentRules, file: Selected) -> tuple[str, str]:
    # A pattern that took a file back has no number among those that let files in.
    if not 0 <= file.rule < len(rules.include):
        return "", ""
    pattern = rules.include[file.rule]
    return pattern.text, pattern.origin


def _leftovers(root: Path, rules: ContentRules, files: Iterable[Selected]) -> Iterator[tuple[Selected, str]]:
    """Files that look like something that other profiles leave out, though a rule lets them in."""
    others = [
        (why, read_patterns(patterns))
        for name, (why, patterns) in LEAVE_OUT_CLASSES.items()
        if name not in rules.classes
    ]

    def why(file: Selected) -> str:
        sign = look(root / file.disk)
        if sign:
            return sign.why
        return next((f"{said} by its name" for said, spec in others if spec.match_file(file.path)), "")

    with parallel.pool() as threads:
        yield from parallel.in_order(threads, lambda f: (f, why(f)), files, ahead=512)


def tree(rows: Iterable[PreviewedFile]) -> PreviewedFolder:
    """The rows as folders with their sums."""
    top = PreviewedFolder("")
    for row in rows:
        at = top
        _count(at, row)
        for name in row.path.split("/")[:-1]:
            at = at.folders.setdefault(name, PreviewedFolder(name))
            _count(at, row)
        at.rows.append(row)
    return top


def _count(folder: PreviewedFolder, row: PreviewedFile) -> None:
    if row.inside:
        folder.files += 1
        folder.size += row.size
    else:
        folder.out_files += 1
        folder.out_size += row.size
