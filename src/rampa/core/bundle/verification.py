"""Verifying a package offline, scheme by scheme: what holds, who signed, what each platform level would check, and why not.

The rules of precedence are the platform's: from level 28 on v3 decides where it is there, from 24 on v2, below that v1. A newer
scheme that was taken away is noticed by what the older one says of it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from cryptography import x509
from cryptography.hazmat.primitives import hashes

from rampa.core import parallel
from rampa.core.bundle import block_signers, content_digest, jar_signature, signing_block
from rampa.core.bundle.block_signers import BlockSigner
from rampa.core.bundle.package import Facts, read_facts
from rampa.core.bundle.report import PlatformLevel, Who
from rampa.core.bundle.signing_block import Block
from rampa.core.bundle.sources import ByteSource
from rampa.core.bundle.verdicts import ABSENT, BROKEN, HOLDS
from rampa.core.bundle.zip_reader import Archive, read_zip
from rampa.core.errors import RampaError
from rampa.core.signing import succession
from rampa.core.signing.algorithms import STRENGTH

LEVELS = (
    (1, 23, ("v1",)),
    (24, 27, ("v2", "v1")),
    (28, 32, ("v3", "v2", "v1")),
    (33, None, ("v3.1", "v3", "v2", "v1")),
)
"""(first level, last level, schemes that it looks at, in its order)"""


@dataclass(frozen=True)
class Scheme:
    """`why` says what is wrong with a broken one. `line` are the succession's certificates, oldest first."""

    name: str
    state: str
    signers: tuple[Who, ...] = ()
    why: str = ""
    where: str = ""
    line: tuple[str, ...] = ()
    weak: bool = False
    """Its digests are SHA-1, as levels below 18 need them."""


@dataclass(frozen=True)
class Verified:
    """`holds`: it is signed, nothing in it is broken, and every level that it is for installs it."""

    facts: Facts
    schemes: tuple[Scheme, ...]
    levels: tuple[PlatformLevel, ...]
    notes: tuple[str, ...] = field(default=())

    @property
    def holds(self) -> bool:
        there = [s for s in self.schemes if s.state != ABSENT]
        return bool(there) and all(s.state == HOLDS for s in there) and all(level.installs for level in self.levels)

    @property
    def fingerprint(self) -> str:
        """The certificate that the newest scheme was signed with; empty when nothing holds."""
        good = [s for s in self.schemes if s.state == HOLDS and s.signers]
        return good[-1].signers[0].fingerprint if good else ""

    @property
    def line(self) -> tuple[str, ...]:
        return next((s.line for s in reversed(self.schemes) if s.line), ())


def verify_package(
    source: ByteSource, workers: int = parallel.WORKERS, progress: Callable[[int], None] = lambda _: None
) -> Verified:
    """Raises `Damaged` when it is no readable package; all about signatures is in the answer."""
    archive = read_zip(source)
    return verify_archive(archive, read_facts(archive), workers, progress)


def verify_archive(archive: Archive, facts: Facts, workers: int, progress: Callable[[int], None]) -> Verified:
    v1, newer = _v1(archive, workers)
    schemes = [v1]
    if facts.kind == "apk":
        schemes += _block_schemes(archive, v1, newer, workers, progress)
    levels = _levels(facts, schemes) if facts.kind == "apk" and any(s.state != ABSENT for s in schemes) else ()
    return Verified(facts, tuple(schemes), tuple(levels), tuple(_notes(archive, schemes)))


def _v1(archive: Archive, workers: int) -> tuple[Scheme, tuple[int, ...]]:
    try:
        found = jar_signature.verify_jar(archive, workers)
    except RampaError as error:
        return Scheme("v1", BROKEN, why=error.message, where=error.where), ()
    if not found:
        return Scheme("v1", ABSENT), ()
    who = tuple(who_of(f.signer.certificate, f.signer.algorithm) for f in found)
    newer = tuple(n for f in found for n in f.newer)
    return Scheme("v1", HOLDS, who, weak=any(f.weak for f in found)), newer


def _block_schemes(
    archive: Archive, v1: Scheme, newer: tuple[int, ...], workers: int, progress: Callable[[int], None]
) -> list[Scheme]:
    try:
        block = signing_block.find(archive)
    except RampaError as error:
        return [Scheme("v2", BROKEN, why=error.message, where=error.where), Scheme("v3", BROKEN, why=error.message)]
    read = {
        name: _read(block, number, name != "v2")
        for name, number in (("v2", signing_block.V2), ("v3", signing_block.V3), ("v3.1", signing_block.V31))
    }
    names = {n for got in read.values() if isinstance(got, list) for n in _hashes(got)}
    digests: dict[str, bytes] = {}
    if block is not None and names:
        try:
            digests = content_digest.digest_content(archive, block.offset, sorted(names), workers, progress)
        except RampaError as error:
            return [Scheme(name, BROKEN, why=error.message) for name, got in read.items() if got is not None]
    schemes = [_scheme(name, got, digests) for name, got in read.items() if name != "v3.1" or got is not None]
    return _not_taken_away(schemes, v1, newer, read["v2"])


Got = list[BlockSigner] | RampaError | None


def _read(block: Block | None, number: int, v3: bool) -> Got:
    value = block.value(number) if block else None
    if value is None:
        return None
    try:
        return block_signers.read_signers(value, v3)
    except RampaError as error:
        return error


def _hashes(signers: list[BlockSigner]) -> set[str]:
    """Of each signer the strongest digest: it decides."""
    return {max(s.digests, key=lambda name: STRENGTH[name]) for s in signers if s.digests}


def _scheme(name: str, got: Got, digests: dict[str, bytes]) -> Scheme:
    if got is None:
        return Scheme(name, ABSENT)
    if isinstance(got, RampaError):
        return Scheme(name, BROKEN, why=got.message, where=got.where)
    who = tuple(_who(s.certificate, s.algorithm.name) for s in got)
    line = tuple(succession.fingerprints(got[0].line)) if got[0].line else ()
    for signer in got:
        strongest = max(signer.digests, key=lambda n: STRENGTH[n], default="")
        if not strongest or digests.get(strongest) != signer.digests[strongest]:
            return Scheme(name, BROKEN, who, "the content was changed after signing", line=line)
    return Scheme(name, HOLDS, who, line=line)


def _not_taken_away(schemes: list[Scheme], v1: Scheme, newer: tuple[int, ...], v2: Got) -> list[Scheme]:
    """An older scheme's word that a newer one signed, too, against what is there."""
    # Nothing of the older scheme is believed where it does not hold: it could accuse a newer one that never was.
    said = {f"v{n}" for n in newer} if v1.state == HOLDS else set()
    if isinstance(v2, list):
        said |= {f"v{int.from_bytes(s.attributes[block_signers.ALSO_SIGNED][:4], 'little')}" for s in v2
                 if block_signers.ALSO_SIGNED in s.attributes}  # fmt: skip
    why = "an older scheme says that it was signed by this one, too: the signature was taken away"
    return [Scheme(s.name, BROKEN, why=why) if s.name in said and s.state == ABSENT else s for s in schemes]


def _levels(facts: Facts, schemes: list[Scheme]) -> list[PlatformLevel]:
    lowest = int(facts.minimum) if facts.minimum.isdecimal() else 1
    by_name = {s.name: s for s in schemes}
    out = []
    for first, last, order in LEVELS:
        if last is not None and last < lowest:
            continue
        # The first that is there decides, also when it is broken: a level does not fall back to an older one.
        found = next((by_name[n] for n in order if n in by_name and by_name[n].state != ABSENT), None)
        at = max(first, lowest)
        if found is None:
            out.append(PlatformLevel(at, last, "", False, f"it looks for {' or '.join(order)}, and there is none"))
        else:
            good = found.state == HOLDS
            out.append(PlatformLevel(at, last, found.name, good, "" if good else found.why))
    return out


def _notes(archive: Archive, schemes: list[Scheme]) -> list[str]:
    notes = []
    block = None
    try:
        block = signing_block.find(archive)
    except RampaError:
        notes.append("The signing block is damaged.")
    # Between the entries and the directory only the signing block may lie.
    hidden = [(at, n) for at, n in archive.gaps if block is None or at + n != archive.start]
    if hidden:
        notes.append(f"{sum(n for _, n in hidden):,} bytes belong to no entry; v1 does not cover them.")
    if any(s.weak for s in schemes):
        notes.append("The digests of v1 are SHA-1, which can be forged; levels below 18 know no other.")
    keys = {s.signers[0].fingerprint for s in schemes if s.state == HOLDS and s.signers}
    if len(keys) > 1 and not any(s.line for s in schemes):
        notes.append("Its schemes are signed by different certificates, and no succession ties them.")
    return notes


def _who(certificate: x509.Certificate, algorithm: str) -> Who:
    try:
        subject, end = certificate.subject.rfc4514_string(), f"{certificate.not_valid_after_utc:%Y-%m-%d}"
    except Exception:
        # The parts of a certificate are read when they are asked for, and a hostile one can hold anything.
        subject, end = "(cannot be read)", ""
    return Who(certificate.fingerprint(hashes.SHA256()).hex(), subject, end, algorithm)


def who_of(der: bytes, algorithm: str) -> Who:
    return _who(x509.load_der_x509_certificate(der), algorithm)
