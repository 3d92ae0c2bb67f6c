"""`rampa bundle sign`: a keystore on this machine, a copy of the bundle, or a detached signature beside it."""

from __future__ import annotations

import datetime as dt
import hashlib
from dataclasses import dataclass
from pathlib import Path

from rampa.cli.base.files import read_file
from rampa.cli.bundles import tables as shown
from rampa.core.bundle.package import read_facts
from rampa.core.bundle.package_signature import PackageSigner, key_of, sign_package, with_identity
from rampa.core.bundle.sources import FileBytes, read_through
from rampa.core.bundle.tar_bundle import is_tar_zst
from rampa.core.bundle.zip_reader import read_zip
from rampa.core.check.package import check_package
from rampa.core.errors import Invalid, Refused
from rampa.core.files import replacing
from rampa.core.signing import cms
from rampa.core.signing import succession as succession
from rampa.core.signing.identity import Identity
from rampa.core.signing.keystore import read_pkcs12
from rampa.schema.bundles import bundles as wire
from rampa.schema.bundles.of_core import facts_out


@dataclass(frozen=True)
class Asked:
    file: Path
    target: Path
    keystore: Path
    password: str
    alias: str
    schemes: str
    padding: str
    succession: Path | None
    oldest: str
    replace: bool

    def identity(self, alias: str) -> Identity:
        return read_pkcs12(read_file(self.keystore, "keystore"), self.password, alias).identity


def sign_inside(asked: Asked, quiet: bool) -> wire.BundleWritten:
    identity = asked.identity(asked.alias)
    notes = _validity(identity)
    line: succession.Succession = ()
    oldest = None
    if asked.succession:
        line = succession.decode(read_file(asked.succession, "succession"))
        succession.verify(line)
        if line[-1].fingerprint != identity.fingerprint:
            raise Invalid(
                "succession.last", "the succession does not end with the chosen key", where=str(asked.succession)
            )
        oldest = asked.identity(asked.oldest) if asked.oldest else None
    newest, first = key_of(identity, asked.padding), key_of(oldest or identity, asked.padding)
    key = PackageSigner(first.ec, tuple(sorted({*newest.contents, *first.contents})))
    schemes = [s.strip() for s in asked.schemes.split(",") if s.strip()] or None
    with FileBytes(asked.file) as source, shown.bars("sign", 2 * source.size, quiet) as progress:
        _must_be_good(source)
        ask = with_identity(identity, line, oldest, asked.padding)
        signed = sign_package(source, asked.target, ask, key, schemes, replace=asked.replace, progress=progress)
    with FileBytes(asked.target) as written:
        facts = read_facts(read_zip(written))
    return wire.BundleWritten(
        file=str(asked.target),
        bytes=signed.size,
        facts=facts_out(facts),
        schemes=list(signed.schemes),
        fingerprint=identity.fingerprint,
        notes=notes,
    )


def _must_be_good(source: FileBytes) -> None:
    """What a device would refuse in any case is said before the signature gives it a look of being right."""
    found = [f for f in check_package(read_zip(source)) if f.severity == "blocker" and f.code != "bundle.debuggable"]
    if found:
        lines = "; ".join(f.message for f in found)
        raise Refused("bundle.blocked", f"it is not signed: {lines}", where=str(source.path), hint=found[0].hint)


def sign_detached(asked: Asked, quiet: bool) -> wire.BundleWritten:
    identity = asked.identity(asked.alias)
    digest = hashlib.sha256()
    with FileBytes(asked.file) as source, shown.bars("sign", source.size, quiet) as progress:
        for piece in read_through(source, 0, source.size):
            digest.update(piece)
            progress(len(piece))
        kind = "tar.zst" if is_tar_zst(source) else ""
        facts = wire.BundleFacts(kind=kind) if kind else facts_out(read_facts(read_zip(source)))
    signature = cms.sign_detached(digest.digest(), identity, dt.datetime.now(dt.UTC))
    with replacing(asked.target) as out:
        out.write(signature)
    return wire.BundleWritten(
        file=str(asked.target), bytes=len(signature), facts=facts, schemes=["cms"],
        fingerprint=identity.fingerprint, notes=_validity(identity),
    )  # fmt: skip


def _validity(identity: Identity) -> list[str]:
    left = identity.not_after - dt.datetime.now(dt.UTC)
    if left.total_seconds() < 0:
        return [f"The certificate expired on {identity.not_after:%Y-%m-%d}: storefronts refuse it."]
    return [f"The certificate ends in {left.days} days, on {identity.not_after:%Y-%m-%d}."] if left.days < 400 else []
