"""Selecting a build's files from a folder: what goes in, what stays out, and by which rule.

Patterns are those of gitignore(5). A file goes in when an include pattern matches and no leave-out pattern does, and its
content is not that of a class that is left out. All problems
of a folder (names that cannot be delivered, links that leave, special files) are collected and raised together.
"""

from __future__ import annotations

import os
import stat
import unicodedata
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path

from rampa.core import parallel
from rampa.core.content.select.file_traits import Trait, look
from rampa.core.content.select.leave_out_classes import ALWAYS, LEAVE_OUT_CLASSES
from rampa.core.content.select.left_out import LeftOut
from rampa.core.content.tree.chosen_files import Selected, SelectedFiles, Sources
from rampa.core.content.tree.links import leading_out
from rampa.core.content.tree.paths import check_link, path_problem, printable
from rampa.core.errors import Invalid, NotFound
from rampa.core.patterns import as_utf8, literal, read_patterns

SHOWN = 20
BATCH = 256
NO_RULE = "no include rule matches"


@dataclass(frozen=True)
class Pattern:
    """`text` as in gitignore(5), `why` for a person, `origin` such as `rampa.toml:31`."""

    text: str
    why: str
    origin: str = ""
    cls: str = ""
    """The leave-out class that it belongs to."""


@dataclass(frozen=True)
class ContentRules:
    """`classes`: the leave-out classes by content, each with its origin; a pattern in `leave_out` that begins with `!`
    keeps a file whatever it looks like."""

    include: tuple[Pattern, ...]
    leave_out: tuple[Pattern, ...]
    classes: Mapping[str, str] = field(default_factory=dict)


def only_file(name: str) -> ContentRules:
    """One file of a folder, whatever characters its name has."""
    return ContentRules((Pattern(f"/{literal(name)}", "the bundle"),), ())


@dataclass(frozen=True)
class Selection:
    root: Path
    files: SelectedFiles
    links: tuple[tuple[str, str], ...]
    left_out: tuple[LeftOut, ...] = field(default=())

    @property
    def sources(self) -> Sources:
        return Sources(self.root, self.files)


def class_patterns(classes: dict[str, str]) -> list[Pattern]:
    """The patterns of leave-out classes, given as class -> origin; the classes that always apply come with them."""
    wanted = {name: "always" for name in ALWAYS} | classes
    return [
        Pattern(text, LEAVE_OUT_CLASSES[name][0], origin, name)
        for name, origin in wanted.items()
        for text in LEAVE_OUT_CLASSES[name][1]
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
    # Names first, for all; contents are then read only of what would go in.
    found = _sorted(SelectedFiles(picking.pick(_walk(root))), picking.problems)
    files = picking.look(root, found)
    _check_links(files, picking.links, picking.problems)
    if picking.problems:
        _raise(picking.problems)
    if not files:
        raise Invalid(
            "folder.empty",
            f"nothing in this folder goes in ({len(picking.left_out)} files are left out)",
            where=str(root),
            hint="Check [content] include in the profile document.",
        )
    return Selection(
        root,
        files,
        tuple(sorted(picking.links)),
        tuple(sorted(picking.left_out, key=lambda f: f.path)),
    )


class _Picking:
    """One walk's result so far."""

    def __init__(self, rules: ContentRules) -> None:
        self._rules = rules
        self._include = read_patterns([p.text for p in rules.include])
        self._leave_out = read_patterns([p.text for p in rules.leave_out])
        self._meant: set[str] = set()
        self.links: list[tuple[str, str]] = []
        self.left_out: list[LeftOut] = []
        self.problems: list[str] = []

    def pick(self, entries: Iterable[tuple[str, os.DirEntry[str]]]) -> Iterator[Selected]:
        """The files that go in by their names; links, problems and what is left out are kept here."""
        for disk, entry in entries:
            # Some systems keep names in another Unicode form: the path that is delivered is the same wherever the
            # folder was made.
            path = unicodedata.normalize("NFC", disk)
            # Not through the link: what counts is what the folder holds, and a link's own size.
            info = entry.stat(follow_symlinks=False)
            # The last pattern that matches decides, as in gitignore(5): `include` is None where none did.
            named = as_utf8(path)
            left_out, included = self._leave_out.check_file(named), self._include.check_file(named)
            if left_out.include and left_out.index is not None:
                rule = self._rules.leave_out[left_out.index]
                self.left_out.append(LeftOut(printable(path), info.st_size, rule.why, rule.origin, rule.cls))
            elif not included.include:
                self.left_out.append(LeftOut(printable(path), info.st_size, NO_RULE, ""))
            elif self._deliverable(path, disk):
                # A pattern with ! took it back: somebody means it to ship, whatever it looks like.
                if left_out.include is False:
                    self._meant.add(path)
                yield from self._keep(path, disk, entry, info, included.index if included.index is not None else -1)

    def look(self, root: Path, files: SelectedFiles) -> SelectedFiles:
        """Without what its own content gives away, of the classes that are left out."""
        if not self._rules.classes:
            return files

        def traits(batch: range) -> list[Trait | None]:
            chosen = (files[i] for i in batch)
            return [None if f.path in self._meant else look(root / f.disk) for f in chosen]

        gone = set()
        batches = (range(at, min(at + BATCH, len(files))) for at in range(0, len(files), BATCH))
        with parallel.pool() as threads:
            found = (s for batch in parallel.in_order(threads, traits, batches, ahead=8) for s in batch)
            for i, trait in enumerate(found):
                if trait and not trait.only_warn and trait.cls in self._rules.classes:
                    gone.add(i)
                    why = f"{LEAVE_OUT_CLASSES[trait.cls][0]}: {trait.why} by its content"
                    origin = self._rules.classes[trait.cls]
                    self.left_out.append(LeftOut(printable(files[i].path), files[i].size, why, origin, trait.cls))
        return files.take(i for i in range(len(files)) if i not in gone) if gone else files

    def _deliverable(self, path: str, disk: str) -> bool:
        problem = path_problem(path)
        if problem:
            self.problems.append(f"{printable(disk)}: {problem}; rename it")
        return not problem

    def _keep(
        self, path: str, disk: str, entry: os.DirEntry[str], info: os.stat_result, rule: int
    ) -> Iterator[Selected]:
        if stat.S_ISREG(info.st_mode):
            yield Selected(path, disk, info.st_size, bool(info.st_mode & 0o111), stamp_of(info), rule)
        elif stat.S_ISLNK(info.st_mode):
            target = os.readlink(entry.path)
            try:
                self.links.append((path, check_link(path, target)))
            except Invalid as error:
                self.problems.append(f"{printable(path)}: {error.message}; replace it by a file or leave it out")
        else:
            self.problems.append(
                f"{printable(path)}: it is {_kind(info.st_mode)}, which no player can be sent; leave it out"
            )


def _sorted(found: SelectedFiles, problems: list[str]) -> SelectedFiles:
    """By path. Two names on the disk that become one path are a problem."""
    order = found.paths.order()
    if order is None:
        return found
    files = found.take(order.tolist())
    # Sorted, two equal paths are neighbours.
    for before, file in pairwise(files):
        if before.path == file.path:
            said = "another name in the same folder reads the same (Unicode form NFC); rename it"
            problems.append(f"{printable(file.disk)}: {said}")
    return files


def _check_links(files: SelectedFiles, links: list[tuple[str, str]], problems: list[str]) -> None:
    """A link must point at something that ships with it."""
    linked = {path for path, _ in links}
    # Folders that hold nothing but links are there, too: a link may point at one.
    folders = {path[:i] for path in linked for i, c in enumerate(path) if c == "/"} | {"."}
    for path, target in links:
        goal = os.path.normpath(os.path.join(os.path.dirname(path), target))
        ships = goal in linked or goal in folders or files.paths.find(goal) >= 0 or files.has_folder(goal)
        if not ships:
            problems.append(
                f"{printable(path)}: it links to {printable(target)}, which does not go in; include both or leave both out"
            )
    for path in leading_out(dict(links)):
        problems.append(
            f"{printable(path)}: through other links it leads out of the folder, or in a circle; leave it out"
        )


def _walk(root: Path) -> Iterator[tuple[str, os.DirEntry[str]]]:
    """Every entry that is not a folder, with its path relative to root. Links to folders are entries."""
    # A stack, not a recursion: an export may be nested deeper than Python calls may be.
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
                hint="Give yourself the right to read it, or leave it out in the profile document.",
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
