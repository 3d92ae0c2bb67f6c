"""Selecting a build's files from a folder: what goes in, what stays out, and by which rule.

Patterns are those of gitignore(5). A file goes in when an include pattern matches and no strip pattern does, and its
content is not that of a class that is stripped. All problems
of a folder (names that cannot be delivered, links that leave, special files) are collected and raised together.
"""

from __future__ import annotations

import os
import stat
import unicodedata
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

import pathspec

from rampa.core.content import parallel
from rampa.core.content.paths import check_link, path_problem, printable
from rampa.core.content.signs import look
from rampa.core.content.strip_classes import ALWAYS, STRIP_CLASSES
from rampa.core.errors import Invalid, NotFound

SHOWN = 20
BATCH = 256
NO_RULE = "no include rule matches"


@dataclass(frozen=True)
class Pattern:
    """`text` as in gitignore(5), `why` for a person, `origin` such as `rampa.toml:31`."""

    text: str
    why: str
    origin: str = ""


@dataclass(frozen=True)
class ContentRules:
    """`classes`: the strip classes by content, each with its origin; a pattern in `strip` that begins with `!` keeps a file
    whatever it looks like."""

    include: tuple[Pattern, ...]
    strip: tuple[Pattern, ...]
    classes: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Selected:
    """A regular file that goes in: `path` as it is delivered, `disk` as the folder names it, and its stat."""

    path: str
    disk: str
    size: int
    executable: bool
    stamp: tuple[int, int, int, int]
    rule: int = -1
    """The number of the include pattern that let it in."""


@dataclass(frozen=True, slots=True)
class LeftOut:
    path: str
    size: int
    why: str
    origin: str


@dataclass(frozen=True)
class Selection:
    root: Path
    files: tuple[Selected, ...]
    links: tuple[tuple[str, str], ...]
    left_out: tuple[LeftOut, ...] = field(default=())


def class_patterns(classes: dict[str, str]) -> list[Pattern]:
    """The patterns of strip classes, given as class -> origin; the classes that always apply come with them."""
    wanted = {name: "always" for name in ALWAYS} | classes
    return [
        Pattern(text, STRIP_CLASSES[name][0], origin)
        for name, origin in wanted.items()
        for text in STRIP_CLASSES[name][1]
    ]


def stamp_of(info: os.stat_result) -> tuple[int, int, int, int]:
    """What tells an unchanged file without reading it: size, modification and change time in ns, inode."""
    return info.st_size, info.st_mtime_ns, info.st_ctime_ns, info.st_ino


def select(root: Path, rules: ContentRules) -> Selection:
    """Walks `root`. Raises `NotFound` when it is not a folder and `Invalid` with every problem when there are any."""
    if not root.is_dir():
        hint = "Give the folder that holds the title's files." if not root.exists() else "It is not a folder."
        raise NotFound("folder.missing", "there is no folder here to read", where=printable(str(root)), hint=hint)
    picking = _Picking(rules)
    for disk, entry in _walk(root):
        picking.take(disk, entry)
    picking.look(root)
    picking.check_links()
    if picking.problems:
        _raise(picking.problems)
    if not picking.files:
        raise Invalid(
            "folder.empty",
            f"nothing in this folder goes in ({len(picking.left_out)} files are left out)",
            where=str(root),
            hint="Check [content] include in the profile document.",
        )
    return Selection(
        root,
        tuple(sorted(picking.files, key=lambda f: f.path)),
        tuple(sorted(picking.links)),
        tuple(sorted(picking.left_out, key=lambda f: f.path)),
    )


class _Picking:
    """One walk's result so far."""

    def __init__(self, rules: ContentRules) -> None:
        self._rules = rules
        self._include = pathspec.GitIgnoreSpec.from_lines([p.text for p in rules.include])
        self._strip = pathspec.GitIgnoreSpec.from_lines([p.text for p in rules.strip])
        self._seen: dict[str, str] = {}
        self._meant: set[str] = set()
        self.files: list[Selected] = []
        self.links: list[tuple[str, str]] = []
        self.left_out: list[LeftOut] = []
        self.problems: list[str] = []

    def take(self, disk: str, entry: os.DirEntry[str]) -> None:
        path = unicodedata.normalize("NFC", disk)
        info = entry.stat(follow_symlinks=False)
        stripped, included = self._strip.check_file(path), self._include.check_file(path)
        if stripped.include and stripped.index is not None:
            rule = self._rules.strip[stripped.index]
            self.left_out.append(LeftOut(printable(path), info.st_size, rule.why, rule.origin))
        elif not included.include:
            self.left_out.append(LeftOut(printable(path), info.st_size, NO_RULE, ""))
        elif self._deliverable(path, disk):
            self._keep(path, disk, entry, info, included.index if included.index is not None else -1)
            if stripped.include is False:
                self._meant.add(path)

    def look(self, root: Path) -> None:
        """Takes out what its own content gives away, of the classes that are stripped."""
        if not self._rules.classes:
            return
        with parallel.pool() as threads:
            asked = [f for f in self.files if f.path not in self._meant]
            seen = parallel.in_order(
                threads, lambda batch: [look(root / f.disk) for f in batch], _batches(asked), ahead=8
            )
            signs = [s for batch in seen for s in batch]
        gone = set()
        for file, sign in zip(asked, signs, strict=True):
            if sign and not sign.only_warn and sign.cls in self._rules.classes:
                gone.add(file.path)
                why = f"{STRIP_CLASSES[sign.cls][0]}: {sign.why} by its content"
                self.left_out.append(LeftOut(printable(file.path), file.size, why, self._rules.classes[sign.cls]))
        self.files = [f for f in self.files if f.path not in gone]

    def _deliverable(self, path: str, disk: str) -> bool:
        problem = path_problem(path)
        twin = self._seen.setdefault(path, disk)
        if not problem and twin != disk:
            problem = "another name in the same folder reads the same (Unicode form NFC)"
        if problem:
            self.problems.append(f"{printable(disk)}: {problem}; rename it")
        return not problem

    def _keep(self, path: str, disk: str, entry: os.DirEntry[str], info: os.stat_result, rule: int) -> None:
        if stat.S_ISREG(info.st_mode):
            executable = bool(info.st_mode & 0o111)
            self.files.append(Selected(path, disk, info.st_size, executable, stamp_of(info), rule))
        elif stat.S_ISLNK(info.st_mode):
            target = os.readlink(entry.path)
            try:
                self.links.append((path, check_link(path, target)))
            except Invalid as error:
                self.problems.append(f"{printable(path)}: {error.message}; replace it by a file or strip it")
        else:
            self.problems.append(
                f"{printable(path)}: it is {_kind(info.st_mode)}, which no player can be sent; strip it"
            )

    def check_links(self) -> None:
        """A link must point at something that ships with it."""
        shipped = {f.path for f in self.files} | {path for path, _ in self.links}
        folders = {path[:i] for path in shipped for i, c in enumerate(path) if c == "/"} | {"."}
        for path, target in self.links:
            goal = os.path.normpath(os.path.join(os.path.dirname(path), target))
            if goal not in shipped and goal not in folders:
                self.problems.append(
                    f"{printable(path)}: it links to {printable(target)}, which does not go in; include or strip both"
                )


def _batches(files: list[Selected]) -> Iterator[list[Selected]]:
    for at in range(0, len(files), BATCH):
        yield files[at : at + BATCH]


def _walk(root: Path) -> Iterator[tuple[str, os.DirEntry[str]]]:
    """Every entry that is not a folder, with its path relative to root. Links to folders are entries."""
    waiting = [(str(root), "")]
    while waiting:
        folder, prefix = waiting.pop()
        try:
            entries = list(os.scandir(folder))
        except OSError as error:
            raise Invalid(
                "folder.unreadable",
                f"this folder cannot be read ({error.strerror})",
                where=printable(folder),
                hint="Give yourself the right to read it, or strip it in the profile document.",
            ) from error
        for entry in entries:
            if entry.is_dir(follow_symlinks=False):
                waiting.append((entry.path, prefix + entry.name + "/"))
            else:
                yield prefix + entry.name, entry


def _kind(mode: int) -> str:
    kinds = {
        stat.S_IFIFO: "a named pipe",
        stat.S_IFSOCK: "a socket",
        stat.S_IFBLK: "a device",
        stat.S_IFCHR: "a device",
    }
    return kinds.get(stat.S_IFMT(mode), "a special file")


def _raise(problems: list[str]) -> None:
    problems.sort()
    more = f"\n  and {len(problems) - SHOWN} more" if len(problems) > SHOWN else ""
    raise Invalid(
        "folder.problems",
        f"{len(problems)} of the folder's files cannot be delivered:\n  " + "\n  ".join(problems[:SHOWN]) + more,
    )
