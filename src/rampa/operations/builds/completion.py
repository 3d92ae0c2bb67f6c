"""Completing a build: everything that its maker claims is checked, then it is signed and becomes visible, all at once."""

from __future__ import annotations

import base64
import binascii
import hashlib
import re
from dataclasses import dataclass
from itertools import chain

from blake3 import blake3
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert

from rampa.core.build.life import BuildEvent, BuildState
from rampa.core.build.record import MadeWith
from rampa.core.content.depots.choice import Selector, as_words
from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.manifest.manifest import Manifest
from rampa.core.content.pack.places import ChunkPlaces
from rampa.core.content.select.left_out import LeftOut
from rampa.core.content.tree.tree import Chunk, FileEntry, Tree
from rampa.core.errors import Damaged, Invalid
from rampa.core.profile.resolved import ResolvedProfile
from rampa.core.signing import statement as statement_format
from rampa.core.signing.statement import DepotLine, Statement
from rampa.db import BuildRow, BuildSymbolsRow, DepotRow, SymbolFileRow, VerifiedFileRow, find_build, must_be_open
from rampa.operations.base import Actor, Services, UnitOfWork, begin, transition
from rampa.operations.builds.builds import must_hold
from rampa.operations.builds.bundles import ReadBack, check_name, keep_bundle, profile_of, read_back
from rampa.operations.builds.encryption import encrypt_depots
from rampa.operations.builds.provenance import provenance_of
from rampa.operations.builds.views import describe
from rampa.operations.content.arrival import BATCH, batched, locate, must_be_held
from rampa.operations.content.stored_trees import stream_chunks
from rampa.operations.titles.titles import manifest_key
from rampa.schema.builds import builds as wire

SYMBOLS = "symbols"


@dataclass(frozen=True)
class _Given:
    """A depot's manifest as it was sent, and read."""

    manifest: Manifest
    encoded: bytes
    digest: bytes


def complete_build(services: Services, actor: Actor, slug: str, number: int, asked: wire.CompleteBuild) -> wire.Build:
    """Raises `Damaged` or `Conflict` with what does not hold; the build then stays open. Twice the same is no error."""
    given = [_read(m) for m in asked.manifests]
    with begin(services, actor) as uow:
        build = find_build(uow.session, slug, number)
        # A command that was cut off after its answer was sent asks again: the same content is the same build.
        if build.state == BuildState.READY and _same(build, given):
            return describe(uow, build, actor, [])
        must_hold(uow, must_be_open(build), asked.lease)
        profile = profile_of(uow, build)
        _check_depots(profile, build, given)
        check_name(build, profile, asked.bundle)
        symbols = _symbols(asked)
        trees = [g.manifest.tree for g in (*given, *symbols)]
        _check_chunks(uow, trees, asked.bundle)
        unverified = _unverified(uow, trees)
    # Between the two transactions the content is read and checked, which can take minutes: no row stays locked
    # meanwhile.
    _verify_files(services, unverified)
    _verify_bundle(services, asked.bundle)
    read = read_back(services, build, profile, asked.bundle)
    for g in (*given, *symbols):
        services.store.put_manifest(g.digest, g.encoded)
    with begin(services, actor) as uow:
        build = must_be_open(find_build(uow.session, slug, number, lock=True))
        must_hold(uow, build, asked.lease)
        _check_chunks(uow, trees, asked.bundle)  # again: what nothing pointed at may have been swept meanwhile
        plain = _encrypt(uow, build, profile, given)
        _record(uow, build, given, asked, read)
        _keep_symbols(uow, build, symbols)
        _remember_verified(uow, unverified)
        uow.session.flush()
        uow.session.refresh(build)
        described = describe(uow, build, actor, [])
    # Only after the commit: until then the rows still point into the plain packs.
    for pack in plain:
        services.store.remove_pack(pack)
    return described


def _encrypt(uow: UnitOfWork, build: BuildRow, profile: ResolvedProfile, given: list[_Given]) -> list[bytes]:
    """The plain packs that are not needed any more."""
    if not profile.settings.content.encryption:
        return []
    return encrypt_depots(uow, build, {g.manifest.depot: g.manifest.tree for g in given})


def _read(sent: wire.ManifestIn) -> _Given:
    try:
        encoded = base64.b64decode(sent.data, validate=True)
    except binascii.Error as error:
        raise Invalid("manifest.base64", "the manifest is not valid base64", where=sent.depot) from error
    manifest = manifest_format.decode(encoded)
    if manifest.depot != sent.depot:
        raise Damaged("manifest.depot", f"the manifest is of depot {manifest.depot!r}", where=sent.depot)
    return _Given(manifest, encoded, manifest_format.digest_of(encoded))


def _symbols(asked: wire.CompleteBuild) -> list[_Given]:
    if asked.symbols is None:
        return []
    if asked.symbols.depot != SYMBOLS:
        raise Invalid("symbols.depot", f"the manifest of symbols is named {SYMBOLS!r}", where="symbols")
    return [_read(asked.symbols)]


SYMBOL_PATH = re.compile(r"(?:.*/)?\.build-id/([0-9a-f]{2})/([0-9a-f]{2,126})\.debug")
"""Where debuggers look for symbols: by the build id, its first byte as a folder."""


def _keep_symbols(uow: UnitOfWork, build: BuildRow, symbols: list[_Given]) -> None:
    for g in symbols:
        for file in g.manifest.tree.files:
            match = SYMBOL_PATH.fullmatch(file.path)
            if match:
                ident = match[1] + match[2]
                uow.session.add(SymbolFileRow(build_id=build.id, path=file.path, ident=ident, size=file.size))
        tree = g.manifest.tree
        build.symbols = BuildSymbolsRow(manifest=g.digest, files=len(tree.files), size=tree.size)


def _same(build: BuildRow, given: list[_Given]) -> bool:
    return {d.name: d.manifest for d in build.depots} == {g.manifest.depot: g.digest for g in given}


def _check_depots(profile: ResolvedProfile, build: BuildRow, given: list[_Given]) -> None:
    expected, sent = {d.name for d in profile.depots}, [g.manifest.depot for g in given]
    if set(sent) != expected or len(sent) != len(expected):
        raise Invalid(
            "depots.other",
            f"profile {build.profile} has the depots {', '.join(sorted(expected))}; sent were {', '.join(sent)}",
            where="manifests",
        )


def _check_chunks(uow: UnitOfWork, trees: list[Tree], bundle: wire.BundleIn) -> None:
    """Every chunk that a manifest or the bundle names is recorded, with that size."""
    must_be_held(
        uow,
        chain(*(t.chunks for t in trees), (Chunk(bytes.fromhex(c.digest), c.size) for c in bundle.chunks)),
    )


def _chunks_digest(file: FileEntry) -> bytes:
    return blake3(b"".join(c.digest for c in file.chunks)).digest()


def _unverified(uow: UnitOfWork, trees: list[Tree]) -> dict[bytes, FileEntry]:
    """Files whose digest the service has never computed itself. One chunk is its own proof."""
    out: dict[bytes, FileEntry] = {}
    for file in chain.from_iterable(t.files for t in trees):
        if len(file.chunks) == 1 and file.chunks[0].digest != file.digest:
            raise Damaged("file.digest", "the file's digest is not that of its content", where=file.path)
        if len(file.chunks) != 1:
            # The digest over the chunks' digests names the content without reading it: what was verified once need not
            # be again.
            out[_chunks_digest(file)] = file
    for batch in batched(list(out), BATCH):
        known = select(VerifiedFileRow.chunks, VerifiedFileRow.digest).where(VerifiedFileRow.chunks.in_(batch))
        for chunks, digest in uow.session.execute(known):
            if out[chunks].digest == digest:
                del out[chunks]
    return out


def _remember_verified(uow: UnitOfWork, files: dict[bytes, FileEntry]) -> None:
    """Another build may have verified the same at the same moment; in one order, so that neither waits for ever."""
    rows = [{"digest": files[chunks].digest, "chunks": chunks} for chunks in sorted(files)]
    if rows:
        uow.session.execute(insert(VerifiedFileRow).on_conflict_do_nothing(), rows)


def _verify_files(services: Services, files: dict[bytes, FileEntry]) -> None:
    for file in files.values():
        hasher = blake3()
        for piece in stream_chunks(services, (c.digest for c in file.chunks)):
            hasher.update(piece)
        if hasher.digest() != file.digest:
            raise Damaged("file.digest", "the file's digest is not that of its content", where=file.path)


def _verify_bundle(services: Services, bundle: wire.BundleIn) -> None:
    hasher, size = hashlib.sha256(), 0
    for piece in stream_chunks(services, (bytes.fromhex(c.digest) for c in bundle.chunks)):
        hasher.update(piece)
        size += len(piece)
    if size != bundle.size or hasher.hexdigest() != bundle.sha256:
        raise Damaged("bundle.digest", "the bundle's digest is not that of its content", where=bundle.name)


def _record(
    uow: UnitOfWork,
    build: BuildRow,
    given: list[_Given],
    asked: wire.CompleteBuild,
    read: ReadBack,
) -> None:
    # Where all the chunks lie is asked once; each depot's download is a part of it.
    located = locate(uow, chain.from_iterable(g.manifest.tree.chunks.digests for g in given))
    selectors = _selectors(uow, build)
    for position, g in enumerate(given):
        uow.session.add(_depot(build, position, g, located, selectors))
    build.content.files = sum(len(g.manifest.tree.files) for g in given)
    build.content.size = sum(g.manifest.tree.size for g in given)
    build.content.packed = _packed([g.manifest.tree for g in given], located)
    build.content.figures = asked.figures
    build.made.record = MadeWith(tools=asked.tools, findings=tuple(asked.findings))
    build.content.undelivered = list(asked.undelivered)
    build.content.left_out = [LeftOut(o.path, o.size, o.why, o.origin) for o in asked.left_out]
    build.content.left_out_files = len(asked.left_out)
    build.content.left_out_size = sum(row.size for row in asked.left_out)
    bundle = build.bundle
    # Signed before, by a run's step: signing again would give other bytes under the same name.
    if bundle is None or bundle.sha256.hex() != asked.bundle.sha256:
        bundle = keep_bundle(uow, build, asked.bundle, read)
    build.content.statement = statement_format.sign(
        _statement(build, given, selectors), manifest_key(uow.services, build.title)
    )
    build.completed_at = uow.now
    build.made.provenance = provenance_of(uow, build, bundle, asked.tools)
    transition(
        uow,
        build,
        BuildEvent.COMPLETE,
        files=build.content.files,
        size=build.content.size,
        bundle_sha256=asked.bundle.sha256,
        identity=bundle.identity,
    )


def _selectors(uow: UnitOfWork, build: BuildRow) -> dict[str, Selector]:
    return {d.name: d.selector for d in profile_of(uow, build).depots}


def _depot(build: BuildRow, position: int, g: _Given, located: ChunkPlaces, selectors: dict[str, Selector]) -> DepotRow:
    tree = g.manifest.tree
    return DepotRow(
        build_id=build.id,
        name=g.manifest.depot,
        position=position,
        manifest=g.digest,
        manifest_size=len(g.encoded),
        files=len(tree.files),
        size=tree.size,
        packed=_packed([tree], located),
        selector=as_words(selectors[g.manifest.depot]),
    )


def _packed(trees: list[Tree], located: ChunkPlaces) -> int:
    """Bytes of the frames that hold these trees, each frame once."""
    return sum(f.stored for f in {f for t in trees for f in located.frames_of(t.chunks.digests)})


def sign_bundle(services: Services, actor: Actor, slug: str, number: int, asked: wire.SignBundleIn) -> wire.Build:
    """Signs the bundle of an open build before the build is complete. The same bundle again is no error."""
    with begin(services, actor) as uow:
        build = must_be_open(find_build(uow.session, slug, number))
        must_hold(uow, build, asked.lease)
        profile = profile_of(uow, build)
        check_name(build, profile, asked.bundle)
        _check_chunks(uow, [], asked.bundle)
    _verify_bundle(services, asked.bundle)
    read = read_back(services, build, profile, asked.bundle)
    with begin(services, actor) as uow:
        build = must_be_open(find_build(uow.session, slug, number, lock=True))
        if build.bundle is None or build.bundle.sha256.hex() != asked.bundle.sha256:
            keep_bundle(uow, build, asked.bundle, read)
        uow.session.flush()
        uow.session.refresh(build)
        return describe(uow, build, actor, [])


def _statement(build: BuildRow, given: list[_Given], selectors: dict[str, Selector]) -> Statement:
    return Statement(
        title=build.title.identifier,
        build=build.number,
        profile=build.profile,
        platform=build.platform,
        version_name=build.version_name,
        version_code=build.version_code,
        launch=build.content.launch,
        depots=tuple(DepotLine(g.manifest.depot, g.digest, len(g.encoded), selectors[g.manifest.depot]) for g in given),
    )
