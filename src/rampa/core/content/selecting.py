"""Selecting a build's files from a folder: what goes in, what stays out, and by which rule.

Patterns are those of gitignore(5). A file goes in when an include pattern matches and no strip pattern does. All problems
of a folder (names that cannot be delivered, links that leave, special files) are collected and raised together.
"""

from __future__ import annotations

import os
import stat
import unicodedata
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pathspec

from rampa.core.content.paths import check_link, path_problem, printable
from rampa.core.content.strip_classes import ALWAYS, STRIP_CLASSES
from rampa.core.errors import Invalid, NotFound

SHOWN = 20


@dataclass(frozen=True)
class Pattern:
    """`text` as in gitignore(5), `why` for a person, `origin` such as `rampa.toml:31`."""

    text: str
    why: str
    origin: str = ""


@dataclass(frozen=True)
class ContentRules:
    include: tuple[Pattern, ...]
    strip: tuple[Pattern, ...]


@dataclass(frozen=True, slots=True)
class Selected:
    """A regular file that goes in: `path` as it is delivered, `disk` as the folder names it, and its stat."""

    path: str
    disk: str
    size: int
    executable: bool
    stamp: tuple[int, int, int, int]


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
        self.files: list[Selected] = []
        self.links: list[tuple[str, str]] = []
        self.left_out: list[LeftOut] = []
        self.problems: list[str] = []

    def take(self, disk: str, entry: os.DirEntry[str]) -> None:
        path = unicodedata.normalize("NFC", disk)
        info = entry.stat(follow_symlinks=False)
        out = self._why_out(path)
        if out:
            self.left_out.append(LeftOut(printable(path), info.st_size, out.why, out.origin))
        elif self._deliverable(path, disk):
            self._keep(path, disk, entry, info)

    def _why_out(self, path: str) -> Pattern | None:
        stripped = self._strip.check_file(path)
        if stripped.include and stripped.index is not None:
            return self._rules.strip[stripped.index]
        if not self._include.check_file(path).include:
            return Pattern("", "no include rule matches")
        return None

    def _deliverable(self, path: str, disk: str) -> bool:
        problem = path_problem(path)
        twin = self._seen.setdefault(path, disk)
        if not problem and twin != disk:
            problem = "another name in the same folder reads the same (Unicode form NFC)"
        if problem:
            self.problems.append(f"{printable(disk)}: {problem}; rename it")
        return not problem

    def _keep(self, path: str, disk: str, entry: os.DirEntry[str], info: os.stat_result) -> None:
        if stat.S_ISREG(info.st_mode):
            executable = bool(info.st_mode & 0o111)
            self.files.append(Selected(path, disk, info.st_size, executable, stamp_of(info)))
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
