"""A build's bundle: read back from what was sent, signed beside or found signed inside, kept."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from rampa.core.apart import LONG
from rampa.core.bundle.package import Facts
from rampa.core.bundle.property_list import UNSIGNED
from rampa.core.bundle.report import Who
from rampa.core.bundle.verdicts import ABSENT, BROKEN, HOLDS
from rampa.core.bundle.verification import Verified
from rampa.core.check.bundle import read_bundle
from rampa.core.check.package import ExpectedPackage
from rampa.core.errors import Damaged, Invalid, Refused
from rampa.core.profile.resolved import ResolvedProfile, resolve
from rampa.core.signing.cms import sign_detached
from rampa.core.signing.key_policy import KeyUse
from rampa.db import BuildRow, BundleRow, RunRow, find_key, load_document, run_that_made
from rampa.operations.base import Services, UnitOfWork
from rampa.operations.builds.assembled import assembled, verify_bundle
from rampa.operations.signing.grants import grant_for
from rampa.operations.signing.identities import open_identity, used
from rampa.operations.signing.policy import must_allow
from rampa.schema.builds import builds as wire
from rampa.schema.bundles.bundles import BundleVerified, SchemeOut
from rampa.schema.bundles.of_core import verified_out

PACKAGES = ("apk", "aab", "ipa")


@dataclass(frozen=True)
class ReadBack:
    """What a bundle that was sent says of itself. `seen` is None for a desktop bundle, which says nothing."""

    profile: ResolvedProfile
    seen: Verified | None


def profile_of(uow: UnitOfWork, build: BuildRow) -> ResolvedProfile:
    return resolve(load_document(uow.session, build.title, build.revision), build.profile)


def check_name(build: BuildRow, profile: ResolvedProfile, bundle: wire.BundleIn) -> None:
    """Others save the bundle under this name: only the one that the profile's template gave is taken."""
    wanted = f"{build.bundle_name}.{profile.settings.output.kind}"
    if bundle.name != wanted:
        raise Invalid("bundle.name", f"the bundle of {build.name} is {wanted}", where="bundle.name")


def look_at(file: Path, build: BuildRow, profile: ResolvedProfile) -> Verified:
    """A package's file, read in a process apart. Raises `Refused` with what a storefront would refuse."""
    expected = ExpectedPackage(
        build.purpose == "release",
        profile.settings.title.identifier,
        build.version_name,
        build.version_code,
        profile.settings.code.architectures,
    )
    findings, seen = LONG.read(read_bundle, file, expected)
    blockers = [f for f in findings if f.severity == "blocker"]
    if blockers:
        more = f" and {len(blockers) - 1} more" if len(blockers) > 1 else ""
        raise Refused(blockers[0].code, f"the bundle is not taken: {blockers[0].message}{more}", hint=blockers[0].hint)
    return seen


def read_back(services: Services, build: BuildRow, profile: ResolvedProfile, sent: wire.BundleIn) -> ReadBack:
    """Reads the bundle from the store, as a storefront would: this very content is what others will fetch. Raises `Damaged` for
    other content than was said, and `Refused` with what a storefront would refuse."""
    if profile.settings.output.kind not in PACKAGES:
        verify_bundle(services, sent)
        return ReadBack(profile, None)
    with assembled(services, sent) as file:
        seen = look_at(file, build, profile)
    if seen.facts.kind != profile.settings.output.kind:
        raise Damaged(
            "bundle.kind",
            f"the bundle is of kind {seen.facts.kind}, and the profile says {profile.settings.output.kind}",
        )
    return ReadBack(profile, seen)


def keep_bundle(uow: UnitOfWork, build: BuildRow, sent: wire.BundleIn, read: ReadBack) -> BundleRow:
    """The build's bundle from now on; signed beside where its kind wants that. The one that it has already stays as it is."""
    if build.bundle is not None:
        # Signed before, by a run's step: signing again would give other bytes under the same name.
        if build.bundle.sha256.hex() == sent.sha256:
            return build.bundle
        uow.session.delete(build.bundle)
        uow.session.flush()
    bundle = BundleRow(
        build_id=build.id,
        name=sent.name,
        size=sent.size,
        sha256=bytes.fromhex(sent.sha256),
        chunks=b"".join(bytes.fromhex(c.digest) for c in sent.chunks),
        identity="",
        fingerprint="",
        kind=read.profile.settings.output.kind,
        bare=sent.bare,
        grant=0,
    )
    if read.profile.signs_inside:
        _found_inside(uow, bundle, read)
    elif read.profile.settings.signing.identity:
        _sign_beside(uow, build, bundle, read)
    bundle.read_back = _said(bundle, read)
    uow.session.add(bundle)
    return bundle


def _found_inside(uow: UnitOfWork, bundle: BundleRow, read: ReadBack) -> None:
    """The agent put the signature there; that it holds, and whose it is, is seen here."""
    assert read.seen is not None
    if all(s.state == ABSENT for s in read.seen.schemes):
        return  # unsigned: no channel takes it
    if not read.seen.holds:
        why = next(
            (f"{s.name}: {s.why}" for s in read.seen.schemes if s.state == BROKEN), "a level does not install it"
        )
        raise Damaged("bundle.signature", f"the bundle's signature does not hold: {why}", where=bundle.name)
    row = (
        find_key(uow.session, read.profile.settings.signing.identity)
        if read.profile.settings.signing.identity
        else None
    )
    # After a hand-over devices know the title by an earlier certificate of the same line.
    if row is None or (read.seen.fingerprint != row.fingerprint and row.fingerprint not in read.seen.line):
        raise Refused(
            "bundle.identity", "the bundle is signed by another identity than the profile names", where=bundle.name
        )
    bundle.identity, bundle.fingerprint, bundle.signed_at = row.name, row.fingerprint, uow.now


def _sign_beside(uow: UnitOfWork, build: BuildRow, bundle: BundleRow, read: ReadBack) -> None:
    row = find_key(uow.session, read.profile.settings.signing.identity, lock=True)
    run = run_that_made(uow.session, build)
    must_allow(uow, [row], use_of(build, read.profile, run), run, build.name)
    identity = open_identity(uow, row, run.id if run else None)
    now = uow.now
    bundle.signature = sign_detached(bundle.sha256, identity, now)
    bundle.identity, bundle.fingerprint, bundle.signed_at = row.name, row.fingerprint, now
    detail = {"build": build.name, "run": build.made.run or "", "bundle_sha256": bundle.sha256.hex(), "scheme": "cms"}
    used(uow, row, build.title.slug, **detail)
    if read.profile.platform.needs_grant and build.purpose != "release":
        grant = grant_for(uow, build.title, read.profile.settings.title.identifier, build.purpose, row)
        bundle.grant = grant.number if grant else 0


def use_of(build: BuildRow, profile: ResolvedProfile, run: RunRow | None) -> KeyUse:
    return KeyUse(build.title.slug, profile.settings.title.identifier, build.purpose, run.order.ref if run else "")


def _said(bundle: BundleRow, read: ReadBack) -> BundleVerified:
    seen = read.seen
    if seen is None:
        seen = Verified(Facts(read.profile.settings.output.kind), (), ())
    said = verified_out(bundle.name, seen)
    if bundle.signature:
        who = Who(fingerprint=bundle.fingerprint, subject=bundle.identity, not_after="", algorithm="CMS, SHA-256")
        said.schemes.append(SchemeOut(name="cms", state=HOLDS, signers=[who]))
        said.holds = True
    if read.profile.settings.output.kind == "ipa" and UNSIGNED not in said.notes:
        said.notes.append(UNSIGNED)
    return said
