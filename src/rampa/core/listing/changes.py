"""What differs between two states of a listing, key by key; and two people's changes taken together."""

from __future__ import annotations

import tomllib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from rampa.core.errors import Invalid, Refused
from rampa.core.listing.edits import ListingEdit, ListingFiles, apply_edits
from rampa.core.profile.text_changes import merge as merge_lines

Key = tuple[str, tuple[str, ...]]
"""(file, path of the key). A picture, and a file that cannot be read, has no path."""


@dataclass(frozen=True, slots=True)
class ListingChange:
    """`before` None: it came; `after` None: it went. Of a picture both are digests."""

    file: str
    path: tuple[str, ...]
    before: str | None
    after: str | None

    @property
    def edit(self) -> ListingEdit:
        return ListingEdit(self.file, self.path, self.after)


@dataclass(frozen=True, slots=True)
class ListingClash:
    """Both said it otherwise; the merged state has mine."""

    file: str
    path: tuple[str, ...]
    base: str | None
    theirs: str | None
    mine: str | None


@dataclass(frozen=True)
class MergedListing:
    files: ListingFiles
    clashes: tuple[ListingClash, ...]


def changes(before: ListingFiles, after: ListingFiles) -> list[ListingChange]:
    """In the order of files and keys."""
    old, new = said_in(before), said_in(after)
    keys = sorted(set(old) | set(new))
    return [ListingChange(*key, old.get(key), new.get(key)) for key in keys if old.get(key) != new.get(key)]


def merge(base: ListingFiles, theirs: ListingFiles, mine: ListingFiles) -> MergedListing:
    """Theirs with my changes made in it; where both changed one text, line by line. Comments stay as theirs has them."""
    at_base, at_theirs = said_in(base), said_in(theirs)
    edits, clashes = [], []
    for change in changes(base, mine):
        key = (change.file, change.path)
        now = at_theirs.get(key)
        if now == change.after:
            continue
        if now != at_base.get(key):
            edit, clash = _both(change, now)
            clashes += [clash] if clash else []
        else:
            edit = change.edit
        edits.append(edit)
    return MergedListing(_applied(theirs, edits, mine), tuple(clashes))


def _both(change: ListingChange, theirs: str | None) -> tuple[ListingEdit, ListingClash | None]:
    """A long text that both changed in other lines is no clash."""
    if change.before is not None and theirs is not None and change.after is not None and "\n" in change.before:
        merged = merge_lines(change.before, theirs, change.after)
        if not merged.clashes:
            return ListingEdit(change.file, change.path, merged.text), None
    return change.edit, ListingClash(change.file, change.path, change.before, theirs, change.after)


def _applied(theirs: ListingFiles, edits: list[ListingEdit], mine: ListingFiles) -> ListingFiles:
    files = theirs
    for edit in edits:
        try:
            files = apply_edits(files, [edit])
        except (Refused, Invalid):
            # Written in a way that no single edit can be made in: the file as a whole is mine.
            files = apply_edits(files, [ListingEdit(edit.file, (), mine.texts.get(edit.file))])
    # A file that I took out, and in which nothing of theirs is left.
    emptied = [f for f, text in files.texts.items() if f not in mine.texts and not text.strip()]
    return apply_edits(files, [ListingEdit(f, (), None) for f in emptied])


def said_in(files: ListingFiles) -> dict[Key, str]:
    """Every value by its file and key; a file that cannot be read, and a picture's digest, as a whole."""
    said: dict[Key, str] = {(path, ()): digest for path, digest in files.pictures.items()}
    for path, text in files.texts.items():
        try:
            said |= {(path, key): value for key, value in _leaves(tomllib.loads(text), ())}
        except (tomllib.TOMLDecodeError, RecursionError):
            said[path, ()] = text
    return said


def _leaves(table: Mapping[str, Any], at: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], str]]:
    for name, value in table.items():
        if isinstance(value, dict):
            yield from _leaves(value, (*at, name))
        else:
            yield (*at, name), value if isinstance(value, str) else repr(value)
