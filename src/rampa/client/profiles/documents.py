"""Profile documents on disk, without a service: for a repository's own checks, and for people who begin.

from rampa.client.documents import check_file
assert not [f for f in check_file(Path("rampa.toml")).findings if f.severity == "blocker"]
"""

from __future__ import annotations

import os
from pathlib import Path

from rampa.core.check.profile import check_document, in_order
from rampa.core.errors import Invalid, NotFound
from rampa.core.files import disk_error
from rampa.core.profile.comparison import compare
from rampa.core.profile.document import FILE_NAME, MAX_BYTES, Document, read_document
from rampa.core.profile.edits import Edit, apply_edits
from rampa.core.profile.file_probe import HEAD, Seen, worth_reading
from rampa.core.profile.proposal import Proposal, propose
from rampa.schema.profiles import profiles as wire
from rampa.schema.profiles.of_core import check_out, comparison_out, edit_in, matrix_out, resolved_out

MAX_FILES = 200_000


def read_file(path: Path) -> Document:
    """A document's file, or a folder that holds one. Raises `NotFound`, and `DocumentInvalid` with every problem."""
    return read_document(file_bytes(path))


def document_path(path: Path) -> Path:
    return path / FILE_NAME if path.is_dir() else path


def file_bytes(path: Path) -> bytes:
    """At most a byte more than a document may have: a larger file is refused without being read whole."""
    file = document_path(path)
    try:
        with file.open("rb") as opened:
            data = opened.read(MAX_BYTES + 1)
    except OSError as error:
        raise NotFound(
            "document.missing",
            f"there is no profile document here ({error.strerror})",
            where=str(file),
            hint=f"Name a file, or a folder that holds {FILE_NAME}; or let one be proposed: `rampa profile propose FOLDER`.",
        ) from error
    if len(data) > MAX_BYTES:
        size = file.stat().st_size
        message = f"it is {size / 1e6:.1f} MB long, and a profile document has at most {MAX_BYTES / 1e6:.1f} MB"
        raise Invalid("document.too-large", message, where=str(file))
    return data


def resolve_file(path: Path, profile: str) -> wire.ResolvedOut:
    document = read_file(path)
    found = document.profile(profile)
    findings = [f for f in check_document(document) if f.profile == profile]
    return resolved_out(document.title("title.name"), 0, found, findings)


def matrix_file(path: Path) -> wire.MatrixOut:
    document = read_file(path)
    return matrix_out(document.title("title.name"), 0, document, check_document(document))


def check_file(path: Path, pictures: bool = True) -> wire.CheckOut:
    """All findings; with `pictures`, also those on the pictures that lie beside the document."""
    document = read_file(path)
    found = check_document(document)
    if pictures:
        from rampa.core.check.pictures import check_pictures  # only this pays for loading a picture library

        found += check_pictures(document_path(path).parent, document.profiles.values())
    return check_out(document.title("title.name"), 0, document, in_order(found))


def compare_file(path: Path, left: str, right: str) -> wire.ComparisonOut:
    """Two profiles of one file."""
    document = read_file(path)
    before, after = (wire.SideOut(says=name, profile=name, revision=0, build=0) for name in (left, right))
    return comparison_out(before, after, compare(document.profile(left), document.profile(right)))


def edited(text: str, edits: list[wire.EditWire]) -> str:
    return apply_edits(text, [edit_in(e) for e in edits])


def set_value(text: str, path: tuple[str, ...], value: object) -> str:
    """The text with one key set, every other byte as it was."""
    return apply_edits(text, [Edit(path, value)])


def propose_folder(folder: Path, *, studio: str = "", domain: str = "") -> Proposal:
    """A first document for what a folder holds. Links are not followed. Raises `NotFound` where there is no folder."""
    if not folder.is_dir():
        raise NotFound("folder.missing", "there is no folder here to read", where=str(folder))
    seen: list[Seen] = []
    waiting = [(str(folder), "")]
    while waiting:
        at, prefix = waiting.pop()
        try:
            entries = sorted(os.scandir(at), key=lambda e: e.name)
        except OSError as error:
            raise disk_error(error, Path(at)) from error
        for entry in entries:
            if entry.is_dir(follow_symlinks=False):
                if entry.name not in (".git", ".hg", ".svn"):
                    waiting.append((entry.path, f"{prefix}{entry.name}/"))
            elif entry.is_file(follow_symlinks=False) and len(seen) < MAX_FILES:
                seen.append(_seen(entry, prefix + entry.name))
    return propose(folder.resolve().name, seen, studio=studio, domain=domain)


def _seen(entry: os.DirEntry[str], path: str) -> Seen:
    info = entry.stat(follow_symlinks=False)
    executable = bool(info.st_mode & 0o111)
    head = b""
    if worth_reading(path, executable):
        try:
            with open(entry.path, "rb") as opened:
                head = opened.read(HEAD)
        except OSError:
            pass  # it is proposed by its name alone
    return Seen(path, info.st_size, head, executable)
