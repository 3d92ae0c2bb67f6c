"""A listing's folder on this machine: read for an import or a check, written by an export."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from rampa.client.listings.calls import ListingsCalls
from rampa.core.errors import Conflict, Invalid
from rampa.core.files import replace_file
from rampa.core.listing.layout import (
    FACTS,
    FOLDER,
    LARGEST_PICTURE,
    LARGEST_TEXT,
    check_place,
    is_text,
    picture_place,
)
from rampa.core.listing.listing import Listing
from rampa.core.listing.reader import ListingProblem, PictureFacts, read_listing
from rampa.core.picture.shape import measure
from rampa.schema import listings as wire

Progress = Callable[[int, int], None]
"""(bytes done, bytes in all)."""


@dataclass(frozen=True)
class ListingFolder:
    """`texts` by path; `pictures` by path: where they lie. `others`: files that have no place in a listing."""

    texts: dict[str, str]
    pictures: dict[str, Path]
    others: list[str]


def find_folder(path: Path) -> Path:
    """The folder itself, or the one named `listing` in it. Raises `Invalid`."""
    for folder in (path, path / FOLDER):
        if (folder / FACTS).is_file():
            return folder
    hint = f"It holds {FACTS}, texts/ and pictures/; `rampa listing export FOLDER` writes one."
    raise Invalid("listing.folder", f"there is no {FACTS} in it", where=str(path), hint=hint)


def read_folder(folder: Path) -> ListingFolder:
    """Raises `Invalid` for a file that cannot be read. What leads out of the folder by a link is left alone."""
    texts: dict[str, str] = {}
    pictures: dict[str, Path] = {}
    others: list[str] = []
    top = folder.resolve()
    for file in sorted(folder.rglob("*")):
        path = file.relative_to(folder).as_posix()
        if not file.is_file():
            continue
        if not file.resolve().is_relative_to(top):
            others.append(path)
        elif is_text(path):
            texts[path] = _text(file, path)
        elif picture_place(path) is not None:
            pictures[path] = file
        else:
            others.append(path)
    return ListingFolder(texts, pictures, others)


def read_here(folder: ListingFolder) -> tuple[Listing, tuple[ListingProblem, ...]]:
    """As the service reads it, pictures measured on this machine. A picture that is none is a problem."""
    facts: dict[str, PictureFacts] = {}
    wrong: list[ListingProblem] = []
    for path, file in folder.pictures.items():
        try:
            made = measure(_bytes(file, path))
            facts[path] = PictureFacts(made.digest, made.width, made.height, made.transparent)
        except Invalid as error:
            wrong.append(ListingProblem(path, error.message, error.hint))
    listing, problems = read_listing(folder.texts, facts)
    return listing, (*problems, *wrong)


def send_folder(
    calls: ListingsCalls, title: str, folder: ListingFolder, message: str, commit: str, seen: int | None, on: Progress
) -> wire.ListingOut:
    """Sends what the service lacks of the pictures, then the whole as the next state."""
    known = {p.digest for p in calls.get(title).pictures}
    sizes = {path: file.stat().st_size for path, file in folder.pictures.items()}
    total, done = sum(sizes.values()), 0
    pictures = []
    for path, file in folder.pictures.items():
        data = _bytes(file, path)
        digest = hashlib.sha256(data).hexdigest()
        if digest not in known:
            try:
                calls.add_picture(title, data)
            except Invalid as error:
                # The service was sent bytes alone: here it is known which file they are of.
                raise Invalid(error.code, error.message, where=path, hint=error.hint) from error
            known.add(digest)
        done += sizes[path]
        on(done, total)
        pictures.append(wire.ListingPicture(path=path, digest=digest))
    texts = [wire.ListingText(path=path, text=text) for path, text in folder.texts.items()]
    asked = wire.ListingIn(texts=texts, pictures=pictures, message=message, commit=commit)
    return calls.add(title, asked, seen)


def write_folder(calls: ListingsCalls, title: str, folder: Path, number: int | None, replace: bool) -> list[str]:
    """Writes a state's files; answers those of the folder that it does not have, and leaves them.

    Raises `Conflict` for a folder with other files of a listing in it, unless they are to be replaced.
    """
    found = calls.get(title, number)
    if not found.number:
        raise Invalid("listing.none", f"{title} has no listing yet", hint="Begin one in the console.")
    there = read_folder(folder) if folder.is_dir() else ListingFolder({}, {}, [])
    if (there.texts or there.pictures) and not replace:
        hint = "Say --replace to write over them; what the listing does not have stays."
        raise Conflict("listing.folder", "there is a listing in this folder", where=str(folder), hint=hint)
    for text in found.texts:
        check_place(text.path)
        _write(folder / text.path, text.text.encode())
    for picture in found.pictures:
        check_place(picture.path)
        _write(folder / picture.path, calls.picture(title, picture.digest))
    written = {t.path for t in found.texts} | {p.path for p in found.pictures}
    return sorted({*there.texts, *there.pictures} - written)


def _write(file: Path, data: bytes) -> None:
    file.parent.mkdir(parents=True, exist_ok=True)
    replace_file(file, data)


def _text(file: Path, path: str) -> str:
    try:
        text = file.read_bytes()[: LARGEST_TEXT * 4 + 1].decode()
    except (OSError, UnicodeDecodeError) as error:
        raise Invalid("listing.file", "the file cannot be read as UTF-8 text", where=path) from error
    return text


def _bytes(file: Path, path: str) -> bytes:
    if file.stat().st_size > LARGEST_PICTURE:
        most = f"{LARGEST_PICTURE / 1e6:.1f} MB"
        message = f"the picture is {file.stat().st_size / 1e6:.1f} MB, and at most {most} are taken"
        raise Invalid("picture.too-large", message, where=path, hint="Save it as JPEG, or smaller.")
    return file.read_bytes()
