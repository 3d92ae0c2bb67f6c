"""Edits of a listing's files: a key set or taken out, a picture put in, copied or taken out; every other byte stays."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from rampa.core.errors import Invalid
from rampa.core.listing.layout import check_place, is_text
from rampa.core.profile import edits
from rampa.core.profile.edits import Edit, literal

SHORT = 60


@dataclass(frozen=True, slots=True)
class ListingEdit:
    """Of a text file: sets the key at `path` to `value`, None takes it out; with no path the whole file is that text.

    Of a picture: `value` is its digest, None takes it out.
    """

    file: str
    path: tuple[str, ...]
    value: str | None

    def words(self) -> str:
        if not self.path:
            return f"{'take out' if self.value is None else 'write'} {self.file}"
        key = ".".join(self.path)
        if self.value is None:
            return f"in {self.file} take out {key}"
        shown = self.value if len(self.value) <= SHORT else self.value[: SHORT - 1] + "…"
        return f"in {self.file} set {key} = {literal(shown.replace(chr(10), ' '))}"


@dataclass(frozen=True)
class ListingFiles:
    """A whole folder: text files by their paths, and the SHA-256 of each picture by its path."""

    texts: Mapping[str, str] = field(default_factory=dict)
    pictures: Mapping[str, str] = field(default_factory=dict)


def apply_edits(files: ListingFiles, changes: Iterable[ListingEdit]) -> ListingFiles:
    """Raises `Invalid` for a file that has no place, and `Refused` for an edit that a person must make in the text."""
    texts, pictures = dict(files.texts), dict(files.pictures)
    for change in changes:
        check_place(change.file)
        if not is_text(change.file):
            _put(pictures, change)
        elif not change.path:
            _put(texts, change)
        elif change.value is not None or change.file in texts:
            before = texts.get(change.file, "")
            try:
                texts[change.file] = edits.apply_edit(before, Edit(change.path, change.value))
            except ValueError as error:
                # Half a file, as somebody typed it: no key of it can be found.
                message = f"{change.file} is no TOML now: {error}"
                raise Invalid("listing.text", message, where=change.file, hint="Mend it in the text first.") from error
    return ListingFiles(texts, pictures)


def _put(held: dict[str, str], change: ListingEdit) -> None:
    if change.value is None:
        held.pop(change.file, None)
    else:
        held[change.file] = change.value
