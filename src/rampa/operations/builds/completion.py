"""Completing a build: everything that its maker claims is checked, then it is signed and becomes visible, all at once."""

from __future__ import annotations

from rampa.core.build.life import BuildState
from rampa.core.profile.resolved import ResolvedProfile
from rampa.db import BuildRow, find_build, must_be_open
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.builds.builds import must_hold
from rampa.operations.builds.bundles import check_name, keep_bundle, profile_of, read_back
from rampa.operations.builds.encryption import encrypt_depots
from rampa.operations.builds.received import (
    Received,
    check_chunks,
    check_depots,
    read_manifest,
    read_symbols,
    same_depots,
    unverified_files,
    verify_files,
)
from rampa.operations.builds.record import keep_symbols, record, remember_verified
from rampa.operations.builds.views import describe
from rampa.operations.content.visibility import show_in
from rampa.schema.builds import builds as wire


def complete_build(services: Services, actor: Actor, slug: str, number: int, asked: wire.CompleteBuild) -> wire.Build:
    """Raises `Damaged` or `Conflict` with what does not hold; the build then stays open. Twice the same is no error."""
    given = [read_manifest(m) for m in asked.manifests]
    with begin(services, actor) as uow:
        build = find_build(uow.session, slug, number)
        # A command that was cut off after its answer was sent asks again: the same content is the same build.
        if build.state == BuildState.READY and same_depots(build, given):
            return describe(uow, build, actor, [])
        must_hold(uow, must_be_open(build), asked.lease)
        profile = profile_of(uow, build)
        check_depots(profile, build, given)
        check_name(build, profile, asked.bundle)
        symbols = read_symbols(asked)
        trees = [g.manifest.tree for g in (*given, *symbols)]
        check_chunks(uow, trees, asked.bundle)
        unverified = unverified_files(uow, trees)
    # Between the two transactions the content is read and checked, which can take minutes: no row stays locked
    # meanwhile.
    verify_files(services, unverified)
    read = read_back(services, build, profile, asked.bundle)
    for g in (*given, *symbols):
        services.store.put_manifest(g.digest, g.encoded)
    with begin(services, actor) as uow:
        build = must_be_open(find_build(uow.session, slug, number, lock=True))
        must_hold(uow, build, asked.lease)
        check_chunks(uow, trees, asked.bundle)  # again: what nothing pointed at may have been swept meanwhile
        plain = _encrypt(uow, build, profile, given)
        record(uow, build, given, asked, read)
        keep_symbols(uow, build, symbols)
        uow.session.flush()
        uow.session.refresh(build)
        show_in(uow, build)
        remember_verified(uow, unverified)
        uow.session.flush()
        uow.session.refresh(build)
        described = describe(uow, build, actor, [])
    # Only after the commit: until then the rows still point into the plain packs.
    for pack in plain:
        services.store.remove_pack(pack)
    return described


def _encrypt(uow: UnitOfWork, build: BuildRow, profile: ResolvedProfile, given: list[Received]) -> list[bytes]:
    """The plain packs that are not needed any more."""
    if not profile.settings.content.encryption:
        return []
    return encrypt_depots(uow, build, {g.manifest.depot: g.manifest.tree for g in given})


def sign_bundle(services: Services, actor: Actor, slug: str, number: int, asked: wire.SignBundleIn) -> wire.Build:
    """Signs the bundle of an open build before the build is complete. The same bundle again is no error."""
    with begin(services, actor) as uow:
        build = must_be_open(find_build(uow.session, slug, number))
        must_hold(uow, build, asked.lease)
        profile = profile_of(uow, build)
        check_name(build, profile, asked.bundle)
        check_chunks(uow, [], asked.bundle)
    read = read_back(services, build, profile, asked.bundle)
    with begin(services, actor) as uow:
        build = must_be_open(find_build(uow.session, slug, number, lock=True))
        keep_bundle(uow, build, asked.bundle, read)
        uow.session.flush()
        uow.session.refresh(build)
        return describe(uow, build, actor, [])
