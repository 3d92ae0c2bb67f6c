"""Grants: which devices a restricted build may run on; which builds must be signed again because a device came later."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import func, select

from rampa.core.build.life import BuildState
from rampa.core.errors import Conflict, Invalid, NotFound
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.resolved import resolve
from rampa.core.signing import grant as format_
from rampa.core.signing.grant import Grant as Signed
from rampa.core.signing.key_policy import KeyUse
from rampa.db import (
    BuildRow,
    BundleRow,
    DeviceRow,
    GrantRow,
    SigningIdentityRow,
    TitleRow,
    find_build,
    find_key,
    find_title,
    load_document,
)
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.signing.identities import open_identity, used
from rampa.operations.signing.policy import must_allow
from rampa.schema.signing import grants as wire


def make_grant(services: Services, actor: Actor, slug: str, asked: wire.NewGrant) -> wire.GrantOut:
    """Signed by the profile's identity, which must be unlocked. No devices named: all that are registered for the platform."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug, lock=True)
        profile = resolve(load_document(uow.session, title), asked.profile)
        if not profile.platform.needs_grant:
            raise Conflict(
                "grant.unneeded", f"{profile.platform.title} runs test builds on any device", where="profile"
            )
        if not profile.settings.signing.identity:
            raise Invalid("grant.identity", f"the profile {profile.name} names no signing identity", where="profile")
        row = find_key(uow.session, profile.settings.signing.identity, lock=True)
        devices = _devices(uow, title, profile.platform.name, asked.devices)
        # The signed form counts whole seconds: what is kept must be what was signed.
        now = services.now().replace(microsecond=0)
        number = (uow.session.scalar(select(func.max(GrantRow.number)).where(GrantRow.title_id == title.id)) or 0) + 1
        made = Signed(
            number,
            profile.settings.title.identifier,
            row.fingerprint,
            profile.settings.purpose,
            tuple(devices),
            now,
            now + dt.timedelta(days=asked.days),
        )
        use = KeyUse(slug, made.identifier, made.purpose)
        must_allow(uow, [row], use, None, f"grant {number} of {slug}")
        signed = format_.sign(made, open_identity(uow, row))
        used(uow, row, slug, grant=number, scheme="cms")
        grant = GrantRow(
            title_id=title.id, number=number, identifier=made.identifier, purpose=made.purpose, identity_id=row.id,
            devices=devices, expires_at=made.expires_at, signed=signed, created_by=actor.name, created_at=now,
        )  # fmt: skip
        uow.session.add(grant)
        audit.record(uow, "grant.make", f"{slug} grant {number}", slug, devices=len(devices))
        uow.session.flush()
        uow.session.refresh(grant)
        return describe(uow, grant)


def _devices(uow: UnitOfWork, title: TitleRow, platform: str, named: list[str]) -> list[str]:
    rows = (
        select(DeviceRow.name)
        .where(DeviceRow.title_id == title.id, DeviceRow.platform == platform)
        .order_by(DeviceRow.name)
    )
    there = list(uow.session.scalars(rows))
    unknown = [n for n in named if n not in there]
    if unknown:
        hint = f"Registered for {PLATFORMS[platform].title}: {', '.join(there) or 'none'}."
        raise NotFound("device.unknown", f"there is no device {unknown[0]!r}", where="devices", hint=hint)
    if not there:
        hint = "Register one: rampa device add."
        raise Conflict("grant.devices", f"no device is registered for {PLATFORMS[platform].title}", hint=hint)
    return sorted(set(named)) or there


def list_grants(services: Services, slug: str) -> wire.Grants:
    """All grants, newest first, and the builds that devices registered since cannot run."""
    with begin(services) as uow:
        title = find_title(uow.session, slug)
        rows = uow.session.scalars(
            select(GrantRow).where(GrantRow.title_id == title.id).order_by(GrantRow.number.desc())
        )
        return wire.Grants(items=[describe(uow, g) for g in rows], behind=_behind(uow, title))


def get_signed(services: Services, slug: str, number: int) -> bytes:
    """The grant that a build was signed with, as a device wants it."""
    with begin(services) as uow:
        build = find_build(uow.session, slug, number)
        grant = find_grant(uow, build.title, grant_number(build)) if grant_number(build) else None
        if grant is None:
            raise NotFound(
                "grant.none",
                f"{build.name} was signed with no grant",
                hint="rampa grant make, then rampa build re-sign.",
            )
        return grant.signed


def get_restriction(services: Services, slug: str, number: int) -> wire.Restriction:
    with begin(services) as uow:
        build = find_build(uow.session, slug, number)
        if not is_restricted(build) or build.bundle is None:
            return wire.Restriction(needed=False, identifier="", certificate="")
        said = build.bundle.read_back
        identifier = said.facts.identifier if said else build.title.identifier
        return wire.Restriction(needed=True, identifier=identifier, certificate=build.bundle.fingerprint)


def find_grant(uow: UnitOfWork, title: TitleRow, number: int) -> GrantRow:
    row = uow.session.scalar(select(GrantRow).where(GrantRow.title_id == title.id, GrantRow.number == number))
    if row is None:
        raise NotFound("grant.unknown", f"{title.slug} has no grant {number}", where="grant")
    return row


def grant_for(
    uow: UnitOfWork, title: TitleRow, identifier: str, purpose: str, identity: SigningIdentityRow
) -> GrantRow | None:
    """The newest that fits and has not ended."""
    return uow.session.scalar(
        select(GrantRow)
        .where(
            GrantRow.title_id == title.id,
            GrantRow.identifier == identifier,
            GrantRow.purpose == purpose,
            GrantRow.identity_id == identity.id,
            GrantRow.expires_at > uow.now,
        )
        .order_by(GrantRow.number.desc())
        .limit(1)
    )


def re_sign(services: Services, actor: Actor, slug: str, number: int, asked: wire.ReSignIn) -> wire.ReSigned:
    """Ties a build to another grant. The bundle stays as it is: nothing is rebuilt."""
    with begin(services, actor) as uow:
        build = find_build(uow.session, slug, number, lock=True)
        if build.state != BuildState.READY or build.bundle is None or not build.bundle.fingerprint:
            raise Conflict("build.unsigned", f"{build.name} is not a finished, signed build")
        profile = resolve(load_document(uow.session, build.title, build.revision), build.profile)
        row = find_key(uow.session, build.bundle.identity)
        grant = (
            find_grant(uow, build.title, asked.grant)
            if asked.grant
            else grant_for(uow, build.title, profile.settings.title.identifier, build.purpose, row)
        )
        if grant is None:
            hint = f"Make one: rampa grant make {build.profile}"
            raise NotFound("grant.none", f"there is no grant for {build.name} that has not ended", hint=hint)
        if (grant.identifier, grant.purpose, grant.identity.fingerprint) != (
            profile.settings.title.identifier, build.purpose, build.bundle.fingerprint,
        ):  # fmt: skip
            raise Conflict("grant.other", f"grant {grant.number} is for another identifier, purpose or certificate")
        missing = [d for d in _names(uow, build.title, build.platform) if d not in grant.devices]
        if grant.number == build.bundle.grant and missing:
            hint = f"Make a new one: rampa grant make {build.profile}"
            raise Conflict(
                "grant.same", f"grant {grant.number} is the newest, and does not list {missing[0]}", hint=hint
            )
        before, build.bundle.grant = build.bundle.grant, grant.number
        detail = {"before": before, "grant": grant.number, "bundle_sha256": build.bundle.sha256.hex()}
        audit.record(uow, "build.re-sign", build.name, slug, **detail)
        return wire.ReSigned(build=build.number, before=before, grant=grant.number, devices=list(grant.devices))


def grant_number(build: BuildRow) -> int:
    return build.bundle.grant if build.bundle else 0


def is_restricted(build: BuildRow) -> bool:
    """Its platform runs it only on devices that a grant lists."""
    return PLATFORMS[build.platform].needs_grant and build.purpose != "release"


def listed_devices(uow: UnitOfWork, build: BuildRow) -> frozenset[str]:
    """Names of the devices that the build's grant lists, while it lasts."""
    if not grant_number(build):
        return frozenset()
    rows = select(GrantRow).where(GrantRow.title_id == build.title_id, GrantRow.number == grant_number(build))
    grant = uow.session.scalar(rows.where(GrantRow.expires_at > uow.now))
    return frozenset(grant.devices) if grant is not None else frozenset()


def describe(uow: UnitOfWork, row: GrantRow) -> wire.GrantOut:
    builds = uow.session.scalars(
        select(BuildRow.number)
        .join(BundleRow)
        .where(BuildRow.title_id == row.title_id, BundleRow.grant == row.number)
        .order_by(BuildRow.number)
    )
    return wire.GrantOut(
        number=row.number,
        identifier=row.identifier,
        purpose=row.purpose,
        identity=row.identity.name,
        fingerprint=row.identity.fingerprint,
        devices=list(row.devices),
        expires_at=row.expires_at,
        ended=row.expires_at <= uow.now,
        created_by=row.created_by,
        created_at=row.created_at,
        builds=list(builds),
    )


def _behind(uow: UnitOfWork, title: TitleRow) -> list[wire.Behind]:
    """Builds under a grant that does not list every device there is now, or that has ended."""
    restricted = [p.name for p in PLATFORMS.values() if p.needs_grant]
    rows = select(BuildRow).where(
        BuildRow.title_id == title.id,
        BuildRow.platform.in_(restricted),
        BuildRow.purpose != "release",
        BuildRow.state == BuildState.READY,
    )
    devices = {p: _names(uow, title, p) for p in restricted}
    out = []
    for build in uow.session.scalars(rows.order_by(BuildRow.number.desc()).limit(50)):
        listed = listed_devices(uow, build)
        missing = [d for d in devices[build.platform] if d not in listed]
        if missing:
            fitting = newest_for(uow, build)
            newest = fitting is None or not set(missing) <= set(fitting.devices)
            out.append(
                wire.Behind(
                    build=build.number,
                    name=build.name,
                    profile=build.profile,
                    grant=grant_number(build),
                    devices=missing,
                    newest=newest,
                )
            )
    return out


def newest_for(uow: UnitOfWork, build: BuildRow) -> GrantRow | None:
    if build.bundle is None or not build.bundle.identity:
        return None
    profile = resolve(load_document(uow.session, build.title, build.revision), build.profile)
    row = find_key(uow.session, build.bundle.identity)
    return grant_for(uow, build.title, profile.settings.title.identifier, build.purpose, row)


def _names(uow: UnitOfWork, title: TitleRow, platform: str) -> list[str]:
    rows = select(DeviceRow.name).where(DeviceRow.title_id == title.id, DeviceRow.platform == platform)
    return list(uow.session.scalars(rows.order_by(DeviceRow.name)))
