"""Signing the inside of a package: the service reads the package that it holds, works out what is to be signed, and signs once.

The maker sends the unsigned package first, and puts the signatures into its own copy. What it says of digests is nobody's word:
a signature goes over bytes that lie in the store, for the build that is open, and a second one over other bytes is not made.
"""

from __future__ import annotations

import base64
from dataclasses import dataclass, field
from pathlib import Path

from cryptography import x509
from sqlalchemy import select

from rampa.core.bundle.package_signature import (
    PackageSigner,
    Signatures,
    ToSign,
    key_of_public,
    sign_package,
    with_identity,
)
from rampa.core.bundle.sources import FileBytes
from rampa.core.errors import Refused
from rampa.core.profile.resolved import ResolvedProfile
from rampa.core.signing import succession
from rampa.core.signing.identity import Identity
from rampa.core.signing.succession import Succession
from rampa.db import BuildRow, InnerSignatureRow, SigningIdentityRow, find_build, find_key, must_be_open, run_that_made
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.builds.assembled import assembled
from rampa.operations.builds.builds import must_hold
from rampa.operations.builds.bundles import check_name, look_at, profile_of, use_of
from rampa.operations.builds.received import check_chunks
from rampa.operations.signing.identities import open_identity, used
from rampa.operations.signing.policy import must_allow
from rampa.schema.builds import builds as wire


@dataclass(frozen=True)
class _Signers:
    """After a hand-over the oldest identity of the succession signs v1 and v2, which know no succession; `last` signs v3."""

    first: SigningIdentityRow
    last: SigningIdentityRow
    line: Succession
    padding: str

    @property
    def key(self) -> PackageSigner:
        keys = [
            key_of_public(x509.load_pem_x509_certificate(r.certificate.encode()).public_key(), self.padding)
            for r in (self.first, self.last)
        ]
        return PackageSigner(keys[0].ec, tuple(sorted({c for key in keys for c in key.contents})))


@dataclass
class _Made:
    """What was signed, as it went through `ask`."""

    jar: bytes = b""
    v2: bytes = b""
    v3: bytes = b""
    digests: dict[str, bytes] = field(default_factory=dict)

    def schemes(self) -> str:
        return ",".join(name for name, made in (("v1", self.jar), ("v2", self.v2), ("v3", self.v3)) if made)


def sign_inside(
    services: Services, actor: Actor, slug: str, number: int, asked: wire.SignBundleIn
) -> wire.SignaturesOut:
    """The signatures of an unsigned package that was sent. The same package again has the same answer.

    Raises `Refused` for a second package, or one that a storefront would refuse; `Damaged` for one that is not what was said.
    """
    sha256 = bytes.fromhex(asked.bundle.sha256)
    with begin(services, actor) as uow:
        build, profile, signers = _ready(uow, slug, number, asked)
        if build.inner_signature is not None:
            return _again(build, sha256, signers)
        check_chunks(uow, [], asked.bundle)
        run = run_that_made(uow.session, build)
        must_allow(uow, [signers.first, signers.last], use_of(build, profile, run), run, build.name)
        # Opened before anything is read: a locked identity is said at once, not after minutes.
        ident = run.id if run else None
        opened = open_identity(uow, signers.last, ident), open_identity(uow, signers.first, ident)
    with assembled(services, asked.bundle) as file:
        look_at(file, build, profile)
        made = _sign(file, profile, signers, opened)
    with begin(services, actor) as uow:
        build, profile, signers = _ready(uow, slug, number, asked)
        if build.inner_signature is not None:
            return _again(build, sha256, signers)
        kept = InnerSignatureRow(build_id=build.id, sha256=sha256, jar=made.jar, v2=made.v2, v3=made.v3, at=uow.now)
        uow.session.add(kept)
        _record(uow, build, signers, made, asked.bundle.sha256)
        return _answer(signers, kept)


def signed_inside(
    services: Services, actor: Actor, slug: str, number: int, asked: wire.SignBundleIn, file: Path
) -> Path:
    """The same for a package that the service has at hand: the signed file, beside it."""
    sign_inside(services, actor, slug, number, asked)
    with begin(services) as uow:
        build = find_build(uow.session, slug, number)
    return signed_as_before(services, build, file)


def signed_as_before(services: Services, build: BuildRow, file: Path) -> Path:
    """The package that was signed, with the signatures that were made then: the signed file, beside it."""
    with begin(services) as uow:
        build = uow.session.get_one(BuildRow, build.id)
        profile, kept = profile_of(uow, build), build.inner_signature
        assert kept is not None
        given = _answer(_signers(uow, profile), kept)
    signatures = Signatures(*(base64.b64decode(part) for part in (given.jar, given.v2, given.v3)))
    signed, key = file.with_name("signed-again"), PackageSigner(given.ec, tuple(given.contents))
    with FileBytes(file) as source:
        sign_package(source, signed, signatures.part_of, key, profile.settings.signing.schemes or None)
    return signed


def _ready(
    uow: UnitOfWork, slug: str, number: int, asked: wire.SignBundleIn
) -> tuple[BuildRow, ResolvedProfile, _Signers]:
    build = must_be_open(find_build(uow.session, slug, number, lock=True))
    must_hold(uow, build, asked.lease)
    profile = profile_of(uow, build)
    if not profile.settings.signing.identity or not profile.signs_inside:
        raise Refused("signing.none", f"the profile {profile.name} has no signature inside its bundle")
    check_name(build, profile, asked.bundle)
    return build, profile, _signers(uow, profile, lock=True)


def _signers(uow: UnitOfWork, profile: ResolvedProfile, lock: bool = False) -> _Signers:
    row = find_key(uow.session, profile.settings.signing.identity, lock=lock)
    line = succession.decode(row.succession) if row.succession else ()
    # An app bundle has no scheme that knows a succession: the storefront takes the newest identity's word.
    first = row if profile.settings.output.kind == "aab" else _oldest(uow, row, line)
    return _Signers(first, row, line, profile.settings.signing.rsa_padding)


def _sign(file: Path, profile: ResolvedProfile, signers: _Signers, opened: tuple[Identity, Identity]) -> _Made:
    """A signed copy is made and thrown away: its digests are worked out from what it would be, byte for byte."""
    made = _Made()
    newest, oldest = opened
    sign = with_identity(newest, signers.line, oldest, signers.padding)

    def ask(what: ToSign) -> Signatures:
        given = sign(what)
        made.jar, made.v2, made.v3 = given.jar or made.jar, given.v2 or made.v2, given.v3 or made.v3
        made.digests |= what.digests
        return given

    with FileBytes(file) as source:
        sign_package(source, file.with_name("signed"), ask, signers.key, profile.settings.signing.schemes or None)
    return made


def _record(uow: UnitOfWork, build: BuildRow, signers: _Signers, made: _Made, sha256: str) -> None:
    """One use an identity in the audit trail, though it signed several schemes."""
    detail = {f"content_{name}": value.hex() for name, value in made.digests.items()} | {
        "bundle_sha256": sha256,
        "build": build.name,
        "run": str(build.made.run or ""),
        "scheme": made.schemes(),
    }
    # v1 and v2 are the older one's; the newest signs v3, and alone where there is no older one.
    rows = ([signers.first] if made.jar or made.v2 else []) + ([signers.last] if made.v3 else [])
    for row in {r.name: r for r in rows}.values():
        used(uow, row, build.title.slug, **detail)


def _again(build: BuildRow, sha256: bytes, signers: _Signers) -> wire.SignaturesOut:
    kept = build.inner_signature
    assert kept is not None
    if kept.sha256 != sha256:
        raise Refused(
            "signing.once",
            f"{build.name} is signed already, over another package: {kept.sha256.hex()[:16]}…",
            where="bundle.sha256",
            hint="A build is signed once. Abandon this one and make another.",
        )
    return _answer(signers, kept)


def _answer(signers: _Signers, kept: InnerSignatureRow) -> wire.SignaturesOut:
    key = signers.key
    return wire.SignaturesOut(
        ec=key.ec,
        contents=list(key.contents),
        identity=signers.last.name,
        fingerprint=signers.last.fingerprint,
        jar=base64.b64encode(kept.jar).decode(),
        v2=base64.b64encode(kept.v2).decode(),
        v3=base64.b64encode(kept.v3).decode(),
    )


def _oldest(uow: UnitOfWork, row: SigningIdentityRow, line: Succession) -> SigningIdentityRow:
    if not line:
        return row
    found = uow.session.scalar(select(SigningIdentityRow).where(SigningIdentityRow.fingerprint == line[0].fingerprint))
    if found is None:
        hint = "Schemes v1 and v2 are signed by the first identity of the succession: import it again."
        raise Refused(
            "succession.first", f"the first identity of {row.name}'s succession is not in the vault", hint=hint
        )
    return found
