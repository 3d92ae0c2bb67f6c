"""Writing a version into a bundle without touching the rest: every other entry is copied as it is stored.

What is written is read back from the copy before it counts. A signature would not survive it, so one that is there is refused, or
taken off when that is wanted.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from rampa.core.bundle.android_xml import BinaryXml
from rampa.core.bundle.package import Facts, info_name, manifest_name, read_facts, read_manifest
from rampa.core.bundle.package_signature import must_be_unsigned, unsigned_members
from rampa.core.bundle.property_list import PropertyList
from rampa.core.bundle.proto_xml import ProtoXml
from rampa.core.bundle.sources import FileBytes
from rampa.core.bundle.zip_reader import Archive, read_zip
from rampa.core.bundle.zip_writer import Member, write_zip
from rampa.core.errors import Invalid, Refused
from rampa.core.files import replacing

CODE_LIMIT = 2_100_000_000
"""The largest version code of phone packages."""


@dataclass(frozen=True)
class Stamp:
    """What is written; None leaves a value as it is."""

    version_name: str | None = None
    version_code: int | None = None
    debuggable: bool | None = None


def stamp_bundle(
    source: FileBytes,
    out: Path,
    stamp: Stamp,
    *,
    replace: bool = False,
    progress: Callable[[int], None] = lambda _: None,
) -> Facts:
    """Writes a copy with the version in it to `out`; returns what the copy says of itself."""
    archive = read_zip(source)
    before = read_facts(archive)
    must_be_unsigned(archive, replace)
    name, body = _changed(archive, before, stamp)
    with replacing(out) as stream:
        members = [Member(name, body, len(body)) if m.name == name else m for m in unsigned_members(archive)]
        write_zip(stream, members, progress=progress)
        stream.flush()
        with FileBytes(Path(stream.name)) as written:
            after = read_facts(read_zip(written))
        _must_say(after, stamp)
    return after


def stamp_file(source: Path, out: Path, stamp: Stamp) -> Facts:
    """The same from file to file, a signature taken off, for a process apart."""
    with FileBytes(source) as kept:
        return stamp_bundle(kept, out, stamp, replace=True)


def _changed(archive: Archive, facts: Facts, stamp: Stamp) -> tuple[str, bytes]:
    _must_be_possible(facts, stamp)
    if facts.kind == "ipa":
        info = PropertyList(archive.read(info_name(archive)))
        info.set_version(stamp.version_name or facts.version_name, _code_of(stamp, facts))
        return info_name(archive), info.encode()
    manifest = read_manifest(archive, facts.kind)
    write_stamp(manifest, stamp)
    return manifest_name(archive, facts.kind), manifest.encode()


def write_stamp(manifest: BinaryXml | ProtoXml, stamp: Stamp) -> None:
    """Writes what is given into a phone package's manifest; the upper half of a long version code goes to 0."""
    if stamp.version_name is not None:
        manifest.set("manifest", "versionName", stamp.version_name)
    if stamp.version_code is not None:
        manifest.set("manifest", "versionCode", stamp.version_code)
        # The platform reads the two halves as one number of 64 bits: an upper half that stays would make it another
        # code.
        if "versionCodeMajor" in manifest.root.attributes:
            manifest.set("manifest", "versionCodeMajor", 0)
    if stamp.debuggable is not None:
        manifest.set("application", "debuggable", stamp.debuggable)


def _code_of(stamp: Stamp, facts: Facts) -> int:
    code = stamp.version_code if stamp.version_code is not None else facts.version_code
    if code is None:
        raise Invalid(
            "stamp.code", "the bundle has no whole number as its version code", hint="Give one: --version-code."
        )
    return code


def _must_be_possible(facts: Facts, stamp: Stamp) -> None:
    if facts.kind not in ("apk", "aab", "ipa"):
        hint = "Its version is in its name and in the build's statement."
        raise Refused("stamp.kind", f"a {facts.kind} bundle has no place for a version", hint=hint)
    if stamp.version_name is not None and not (0 < len(stamp.version_name) <= 255 and stamp.version_name.isprintable()):
        raise Invalid("version.name", "a version name is 1 to 255 printable characters", where="version name")
    if stamp.version_code is not None and not 1 <= stamp.version_code <= CODE_LIMIT:
        raise Invalid("version.code", f"a version code lies between 1 and {CODE_LIMIT:,}", where="version code")
    if facts.kind == "ipa" and stamp.debuggable is not None:
        raise Refused("stamp.debuggable", "an IPA's property list says nothing about debugging")


def _must_say(after: Facts, stamp: Stamp) -> None:
    """What was to be written, against what another reading finds."""
    wanted = (stamp.version_name, stamp.version_code, stamp.debuggable)
    found = (after.version_name, after.version_code, after.debuggable)
    if any(w is not None and w != f for w, f in zip(wanted, found, strict=True)):
        raise Refused("stamp.unread", f"the copy does not say what was written: it says {found}")
