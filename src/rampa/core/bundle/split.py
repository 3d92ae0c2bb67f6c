"""Splitting a phone package by architecture: one package an architecture, each with a version code of its own.

The codes rise with the architecture, so that a device that could take several gets the one that fits it best, and never collide:
each is the bundle's code with a digit behind it (see `rampa.core.version.forms`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from rampa.core.bundle.package import ABIS, APK_MANIFEST, LIBRARY, Facts, read_facts, read_manifest
from rampa.core.bundle.package_signature import must_be_unsigned, unsigned_members
from rampa.core.bundle.sources import FileBytes
from rampa.core.bundle.zip_reader import Archive, read_zip
from rampa.core.bundle.zip_writer import Member, write_zip
from rampa.core.errors import Refused
from rampa.core.files import replacing
from rampa.core.version.forms import code_for_architecture


@dataclass(frozen=True)
class Piece:
    """One package of a split; `size` in bytes."""

    architecture: str
    file: Path
    version_code: int
    size: int


def split_package(
    source: FileBytes, folder: Path, *, replace: bool = False, progress: Callable[[int], None] = lambda _: None
) -> list[Piece]:
    """Writes NAME-ARCHITECTURE.apk into `folder` for each architecture. Raises `Refused` where there is nothing to split."""
    archive = read_zip(source)
    facts = read_facts(archive)
    _must_split(facts)
    must_be_unsigned(archive, replace)
    pieces = []
    for architecture in facts.architectures:
        file = folder / f"{source.path.stem}-{architecture}.apk"
        code = code_for_architecture(facts.version_code or 0, architecture)
        with replacing(file) as stream:
            size = write_zip(stream, _members(archive, architecture, code), progress=progress)
        pieces.append(Piece(architecture, file, code, size))
    return pieces


def _must_split(facts: Facts) -> None:
    if facts.kind != "apk":
        hint = "A storefront splits app bundles by itself."
        raise Refused("split.kind", f"only APKs are split by architecture, and this is {facts.kind}", hint=hint)
    if len(facts.architectures) < 2:
        has = ", ".join(facts.architectures) or "no native libraries"
        raise Refused("split.one", f"there is nothing to split: it has {has}")
    if facts.version_code is None:
        raise Refused("split.code", "it has no version code", hint="Write one: rampa bundle stamp --version-code N.")


def _members(archive: Archive, architecture: str, code: int) -> list[Member]:
    manifest = read_manifest(archive, "apk")
    manifest.set("manifest", "versionCode", code)
    body = manifest.encode()
    out = []
    for member in unsigned_members(archive):
        match = LIBRARY.fullmatch(member.name)
        # A package for one architecture: the folders of the others stay out, whatever lies in them.
        if match and ABIS.get(match["abi"], match["abi"]) != architecture:
            continue
        out.append(Member(member.name, body, len(body)) if member.name == APK_MANIFEST else member)
    return out
