"""Checking the pictures that a profile names, where the folder is at hand: there, readable, large enough, of the right shape."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from pathlib import Path

from rampa.core.check.profile_findings import ProfileFinding
from rampa.core.content.tree.paths import path_problem
from rampa.core.errors import Invalid
from rampa.core.picture.remark import Remark
from rampa.core.picture.sets import icon_remarks, opening_remarks
from rampa.core.picture.source import MAX_BYTES, SourcePicture, read_source
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.resolution import Resolved

LOOKS = {"pictures.icon": icon_remarks, "pictures.opening": opening_remarks}
Read = SourcePicture | Invalid


def check_pictures(folder: Path, profiles: Iterable[Resolved]) -> list[ProfileFinding]:
    """Findings on `pictures.icon` and `pictures.opening`; paths are relative to `folder`. Each picture is read once."""
    read: dict[str, Read] = {}
    found: list[ProfileFinding] = []
    for profile in profiles:
        platform = PLATFORMS[profile.settings.platform]
        for key, remarks in LOOKS.items():
            path = profile.get(key)
            if not path:
                continue
            if path not in read:
                read[path] = _read(folder, path)
            source = read[path]
            if isinstance(source, Invalid):
                told = [Remark("blocker", source.code, source.message, source.hint)]
            else:
                told = [_known(r, profile) for r in remarks(source, platform)]
            found.extend(_findings(profile, key, told))
    return found


def _read(folder: Path, path: str) -> Read:
    try:
        return read_source(_bytes(folder, path), path)
    except Invalid as error:
        return error


def _known(remark: Remark, profile: Resolved) -> Remark:
    """A document that says what stands behind a transparent icon has thought of it."""
    if remark.code == "pictures.icon-transparent" and profile.origin("pictures.icon_background").line:
        return replace(remark, severity="note")
    return remark


def _bytes(folder: Path, path: str) -> bytes:
    file = folder / path
    # A document comes from a repository: its paths must not read pictures, or other files, of the machine.
    if path_problem(path) or not file.is_file() or not file.resolve().is_relative_to(folder.resolve()):
        hint = "Correct the path, or put the picture there."
        raise Invalid("pictures.missing", f"there is no picture at {path}", hint=hint)
    with file.open("rb") as opened:
        # One byte more than may be: enough to know that it is too large, without reading the rest.
        return opened.read(MAX_BYTES + 1)


def _findings(profile: Resolved, key: str, remarks: list[Remark]) -> Iterator[ProfileFinding]:
    for remark in remarks:
        yield ProfileFinding(
            remark.severity,
            remark.code,
            profile.name,
            key,
            profile.origin(key),
            profile.get(key),
            "",
            remark.message,
            remark.hint,
        )
