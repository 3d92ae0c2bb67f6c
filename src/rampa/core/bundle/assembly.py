"""An APK, AAB or IPA from an exported folder: sorted, aligned, stamped; the same folder gives the same bytes.

The folder holds the files as they lie in the bundle. Which kind it is shows from the manifest in it. An APK's native libraries
are stored, and aligned to 16 KiB, so that devices use them in place; compiled resources are stored, as the platform asks.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from pathlib import Path

from rampa.core import parallel
from rampa.core.bundle.android_xml import BinaryXml
from rampa.core.bundle.elements import Element
from rampa.core.bundle.jar_signature import is_signature
from rampa.core.bundle.package import AAB_MANIFEST, APK_MANIFEST, LIBRARY, Facts, read_facts
from rampa.core.bundle.package_signature import alignment
from rampa.core.bundle.property_list import INFO, PropertyList
from rampa.core.bundle.proto_xml import ProtoXml
from rampa.core.bundle.sources import FileBytes
from rampa.core.bundle.stamp import Stamp, write_stamp
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.bundle.zip_structure import STORE
from rampa.core.bundle.zip_writer import Member, write_zip
from rampa.core.errors import Invalid, NotFound
from rampa.core.files import replacing

KEPT_PLAIN = ("resources.arsc",)


def assemble_package(folder: Path, out: Path, stamp: Stamp) -> Facts:
    """Raises `NotFound` for a folder without a manifest, `Invalid` for one with a signature in it or unsafe names."""
    if not folder.is_dir():
        raise NotFound("folder.missing", "there is no such folder", where=str(folder))
    members = [Member(name, path, size, mode) for name, path, size, mode in _files(folder)]
    return write_package(members, out, stamp)


def write_package(
    members: list[Member],
    out: Path,
    stamp: Stamp,
    workers: int = parallel.WORKERS,
    progress: Callable[[int], None] = lambda _: None,
) -> Facts:
    """The same from members. What the package says of itself is read back from it."""
    names = {m.name for m in members}
    kind, manifest = _manifest_of(names)
    signed = sorted(n for n in names if is_signature(n) and n != "META-INF/MANIFEST.MF")
    if signed:
        hint = "Leave META-INF out of the export: signing makes it."
        raise Invalid("assemble.signed", "a signature from before lies in the folder", where=signed[0], hint=hint)
    inside = kind == "apk" and any(LIBRARY.fullmatch(n) for n in names)
    placed = [_placed(m, kind, manifest, stamp, inside) for m in members]
    with replacing(out) as stream:
        write_zip(stream, sorted(placed, key=lambda m: (m.name != manifest, m.name)), workers, progress)
        stream.flush()
        with FileBytes(Path(stream.name)) as written:
            return read_facts(read_zip(written))


def _files(folder: Path) -> Iterator[tuple[str, Path, int, bool]]:
    for at, folders, files in os.walk(folder, followlinks=False):
        folders.sort()
        # A link to a folder is listed among the folders, and is not entered: what is behind it would be missing, without a word.
        for name in sorted([*folders, *files]):
            if Path(at, name).is_symlink():
                hint = "Put the file itself there."
                raise Invalid("assemble.link", "a package holds no links", where=str(Path(at, name)), hint=hint)
        for file in sorted(files):
            path = Path(at, file)
            state = path.stat()
            yield path.relative_to(folder).as_posix(), path, state.st_size, bool(state.st_mode & 0o111)


def _manifest_of(names: set[str]) -> tuple[str, str]:
    if AAB_MANIFEST in names:
        return "aab", AAB_MANIFEST
    if APK_MANIFEST in names:
        return "apk", APK_MANIFEST
    info = sorted(n for n in names if INFO.fullmatch(n))
    if len(info) == 1:
        return "ipa", info[0]
    hint = f"The export puts it at {APK_MANIFEST}, {AAB_MANIFEST} or Payload/NAME.app/Info.plist."
    raise NotFound("assemble.manifest", "the folder holds no manifest that says what it is", hint=hint)


def _placed(member: Member, kind: str, manifest: str, stamp: Stamp, inside: bool) -> Member:
    if member.name == manifest:
        assert isinstance(member.source, Path)
        body = _stamped(member.source.read_bytes(), kind, stamp, inside)
        return Member(member.name, body, len(body))
    plain = kind == "apk" and (member.name in KEPT_PLAIN or LIBRARY.fullmatch(member.name))
    executable = member.executable and kind == "ipa"
    return Member(
        member.name, member.source, member.size, executable, STORE if plain else member.method, alignment(member.name)
    )


def _stamped(data: bytes, kind: str, stamp: Stamp, inside: bool) -> bytes:
    if kind == "ipa":
        info = PropertyList(data)
        if stamp.version_name is not None and stamp.version_code is not None:
            info.set_version(stamp.version_name, stamp.version_code)
        return info.encode()
    manifest: BinaryXml | ProtoXml = BinaryXml(data) if kind == "apk" else ProtoXml(data)
    write_stamp(manifest, stamp)
    if inside and _has_application(manifest.root):
        # Libraries are stored and aligned: they are used in place.
        manifest.set("application", "extractNativeLibs", False)
    return manifest.encode()


def _has_application(root: Element) -> bool:
    return root.first("application") is not None
