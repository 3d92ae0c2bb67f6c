"""A build again under a new version code, for platforms whose codes cannot go down: the same files and depots, the bundle
stamped, signed and verified anew from what is kept. Nothing is built.

Can be interrupted anywhere: what an earlier try opened is gone on with, and a code that is high enough is used again.
"""

from __future__ import annotations

import base64
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import select

from rampa.core.apart import LONG
from rampa.core.build.life import BuildState
from rampa.core.bundle.stamp import Stamp, stamp_file
from rampa.core.errors import Refused
from rampa.core.profile.resolved import ResolvedProfile, bundle_name
from rampa.db import BuildContentRow, BuildOriginRow, BuildRow, BundleRow, find_build, find_title
from rampa.operations.base import Actor, Services, UnitOfWork, audit, begin
from rampa.operations.builds.assembled import assembled
from rampa.operations.builds.builds import get_build
from rampa.operations.builds.bundle_signatures import signed_inside
from rampa.operations.builds.bundles import profile_of
from rampa.operations.builds.completion import complete_build
from rampa.operations.content.arrived_file import store_file
from rampa.operations.content.stored_trees import split_digests
from rampa.operations.versions.versions import highest_code, reserve_above
from rampa.schema.builds import builds as wire

STAMPED = ("apk", "aab", "ipa")
"""Bundles that say their version code inside; of others it stands in the build's statement only."""
WHY = "roll-back"


def reissue(services: Services, actor: Actor, slug: str, number: int) -> wire.Build:
    """The build to place. Raises `Refused` for one that is not kept any more, or whose signing identity is locked."""
    with begin(services, actor) as uow:
        build = find_build(uow.session, slug, number)
        must_be_kept(build)
        profile = profile_of(uow, build)
        title = find_title(uow.session, slug, lock=True)
        again = _begun(uow, build, profile) or _open(uow, build, profile)
        title.last_build = max(title.last_build, again.number)
        kept, name = _bundle_in(uow, build), again.bundle_name
    if again.state == BuildState.READY:
        return get_build(services, actor, slug, again.number)[0]
    with _stamped(services, profile, kept, again) as file:
        sent = store_file(services, file, f"{name}.{profile.settings.output.kind}")
        if profile.signs_inside and build.bundle is not None and build.bundle.fingerprint:
            signed = signed_inside(services, actor, slug, again.number, wire.SignBundleIn(bundle=sent), file)
            sent = store_file(services, signed, sent.name, bare=sent.sha256)
    return complete_build(services, actor, slug, again.number, _same(services, again, sent))


def must_be_kept(build: BuildRow) -> None:
    """Raises `Refused` where there is nothing of it to go back to."""
    if build.state != BuildState.READY or build.bundle is None:
        hint = "Choose a build that is kept: rampa rollout show."
        raise Refused("build.gone", f"{build.name} is {build.state}: its content is not kept any more", hint=hint)


def _begun(uow: UnitOfWork, build: BuildRow, profile: ResolvedProfile) -> BuildRow | None:
    """One that was opened before, and whose code devices still take."""
    rows = (
        select(BuildRow)
        .join(BuildOriginRow)
        .where(BuildRow.title_id == build.title_id, BuildOriginRow.content_of == build.number)
        .where(BuildRow.state.in_((BuildState.OPEN, BuildState.READY)))
        .where(BuildRow.version_code == highest_code(uow, profile))
    )
    return uow.session.scalar(rows)


def _open(uow: UnitOfWork, build: BuildRow, profile: ResolvedProfile) -> BuildRow:
    reserved = reserve_above(uow, profile, build.version_name)
    made = build.made
    again = BuildRow(
        title=build.title,
        number=build.title.last_build + 1,
        revision=build.revision,
        profile=build.profile,
        platform=build.platform,
        purpose=build.purpose,
        state=BuildState.OPEN,
        version_name=build.version_name,
        version_code=reserved.code,
        bundle_name=bundle_name(profile, build.title.slug, build.version_name, reserved.code),
        notes=build.notes,
        created_by=uow.actor.name,
        created_at=uow.now,
        made=BuildOriginRow(commit=made.commit, ref=made.ref, why=WHY, native=made.native, content_of=build.number),
        content=BuildContentRow(launch=build.content.launch),
    )
    uow.session.add(again)
    uow.session.flush()
    reserved.build_id = again.id
    audit.record(uow, "build.reissue", again.name, build.title.slug, of=build.number, code=reserved.code)
    return again


def _bundle_in(uow: UnitOfWork, build: BuildRow) -> wire.BundleIn:
    bundle = uow.session.get_one(BundleRow, build.id)
    digests = split_digests(bundle.chunks)
    return wire.BundleIn(
        name=bundle.name,
        size=bundle.size,
        sha256=bundle.sha256.hex(),
        # Nobody asks how long each is: the chunks are read by their digests.
        chunks=[wire.ChunkIn(digest=d.hex(), size=1) for d in digests],
        bare=bundle.bare,
    )


@contextmanager
def _stamped(services: Services, profile: ResolvedProfile, kept: wire.BundleIn, again: BuildRow) -> Iterator[Path]:
    """The kept bundle with the new code in it, unsigned where a signature would not survive that."""
    with assembled(services, kept) as file:
        out = file.with_name("again")
        if profile.settings.output.kind in STAMPED:
            LONG.read(stamp_file, file, out, Stamp(version_code=again.version_code))
        else:
            shutil.move(file, out)
        yield out


def _same(services: Services, again: BuildRow, bundle: wire.BundleIn) -> wire.CompleteBuild:
    """What its maker sends: the manifests are those of the build that it is again."""
    with begin(services) as uow:
        build = find_build(uow.session, again.title.slug, again.made.content_of)
        kept, depots = build.content, [(d.name, d.manifest) for d in build.depots]
        left_out = [wire.LeftOutIn(path=o.path, size=o.size, why=o.why, origin=o.origin) for o in kept.left_out]
        symbols = build.symbols.manifest if build.symbols else None
    return wire.CompleteBuild(
        manifests=[_manifest(services, name, digest) for name, digest in depots],
        undelivered=kept.undelivered,
        left_out=left_out,
        bundle=bundle,
        symbols=_manifest(services, "symbols", symbols) if symbols else None,
        tools=build.made.record.tools,
    )


def _manifest(services: Services, depot: str, digest: bytes) -> wire.ManifestIn:
    return wire.ManifestIn(depot=depot, data=base64.b64encode(services.store.manifest(digest)).decode())
