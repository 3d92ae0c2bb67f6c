"""A bundle of any kind as one question: look into it, or verify it. ZIP-like bundles, desktop ones and tar.zst alike."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from rampa.core import parallel
from rampa.core.bundle.desktop import verify_checksums
from rampa.core.bundle.inspection import Inspected, inspect_archive, inspect_stream
from rampa.core.bundle.package import Facts, read_facts
from rampa.core.bundle.sources import ByteSource, FileBytes, read_through
from rampa.core.bundle.tar_bundle import is_tar_zst, read_tar_zst
from rampa.core.bundle.verdicts import ABSENT, BROKEN, HOLDS
from rampa.core.bundle.verification import Scheme, Verified, verify_archive, who_of
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.check.findings import Finding
from rampa.core.check.package import ExpectedPackage, check_package
from rampa.core.errors import RampaError
from rampa.core.signing import cms

Progress = Callable[[int], None]


def inspect_bundle(source: ByteSource, largest: int = 20) -> Inspected:
    if is_tar_zst(source):
        return inspect_stream(read_tar_zst(source), source.size, largest)
    return inspect_archive(read_zip(source), largest)


def check_bundle(source: ByteSource, expected: ExpectedPackage) -> list[Finding]:
    """Findings on the file itself; nothing for a tar.zst, which has no manifest."""
    return [] if is_tar_zst(source) else check_package(read_zip(source), expected)


def read_bundle(file: Path, expected: ExpectedPackage) -> tuple[list[Finding], Verified]:
    """Both questions of one file, for a process apart: what comes back are plain values."""
    with FileBytes(file) as source:
        findings = check_bundle(source, expected)
        # What is refused anyway is not read to its end.
        blocked = any(f.severity == "blocker" for f in findings)
        return findings, Verified(Facts(""), (), ()) if blocked else verify_bundle(source, None)[0]


def verify_bundle(
    source: ByteSource, detached: bytes | None, progress: Progress = lambda _: None
) -> tuple[Verified, int | None]:
    """(what holds, files that have the checksum that the bundle gives). `detached` is a CMS signature from beside it."""
    if is_tar_zst(source):
        seen = Verified(Facts("tar.zst"), (), ())
    else:
        archive = read_zip(source)
        facts = read_facts(archive)
        seen = verify_archive(archive, facts, parallel.WORKERS, progress)
        if facts.kind in ("zip", "ipa"):
            # A plain ZIP carries no signature inside: that v1 is absent says nothing.
            seen = replace(seen, schemes=tuple(s for s in seen.schemes if s.state != ABSENT))
    schemes, sums = list(seen.schemes), None
    if seen.facts.kind in ("zip", "tar.zst"):
        try:
            sums = verify_checksums(source, progress)
        except RampaError as error:
            schemes.append(Scheme("checksums", BROKEN, why=error.message, where=error.where))
    # Beside a bundle of any kind, ZIP or not: it signs the file's bytes, and knows nothing of what is in it.
    if detached is not None:
        schemes.append(_detached(source, detached, progress))
    return replace(seen, schemes=tuple(schemes)), sums


def _detached(source: ByteSource, signature: bytes, progress: Progress) -> Scheme:
    digest = hashlib.sha256()
    for piece in read_through(source, 0, source.size):
        digest.update(piece)
        progress(len(piece))
    try:
        signer = cms.verify_digest(signature, digest.digest())
    except RampaError as error:
        return Scheme("cms", BROKEN, why=error.message, where=error.where)
    return Scheme("cms", HOLDS, (who_of(signer.certificate, signer.algorithm),))
