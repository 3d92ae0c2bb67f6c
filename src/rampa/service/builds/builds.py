"""Builds: opening, sending content, completing, reading back."""

from __future__ import annotations

import io
from collections.abc import Iterator
from typing import cast

from flask import Response, redirect, request, send_file
from werkzeug.http import parse_range_header

from rampa.core.errors import NotFound
from rampa.db import find_build
from rampa.operations.base import Act, Services, may
from rampa.operations.builds import builds, completion, lists, reading
from rampa.operations.content import arrival, places, stored_trees
from rampa.schema.builds import builds as wire
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.ranges import BYTES, ranged
from rampa.service.base.resource import ChangeHeaders, CreateHeaders, Resource, expected_version, once_from

BUILD = "/titles/<string:title>/builds/<int:build>"
FOREVER = "private, max-age=31536000, immutable"
"""For the one who asked: whatever is kept on the way would be given to those who may not ask."""
PIECE = 256 * 1024


def resource(services: Services) -> Resource:
    api = Resource("builds")

    @api.call("GET", "/titles/<string:title>/builds", Act.READ, Page[wire.BuildSummary])
    def list_builds(path: TitlePath, query: wire.BuildQuery) -> Page[wire.BuildSummary]:
        """A title's builds."""
        return lists.list_builds(services, path.title, query)

    @api.call("POST", "/titles/<string:title>/builds", Act.MAKE_BUILD, wire.Build, status=201)
    def open_build(path: TitlePath, body: wire.NewBuild, header: CreateHeaders) -> wire.Build:
        """Open a build: reserves its number and version code."""
        return builds.open_build(services, current_actor(), path.title, body, once_from(header))

    @api.call("GET", BUILD, Act.READ, wire.Build)
    def get_build(path: wire.BuildPath) -> tuple[wire.Build, int]:
        """One build; the ETag is the version of its notes."""
        return builds.get_build(services, current_actor(), path.title, path.build)

    @api.call("PATCH", BUILD, Act.NOTE_BUILD, wire.Build)
    def change_build(path: wire.BuildPath, body: wire.BuildChange, header: ChangeHeaders) -> tuple[wire.Build, int]:
        """Change a build's notes. If-Match: the ETag that you saw."""
        expected = expected_version(header.if_match, needed=True)
        if expected is None:
            expected = builds.notes_version(services, path.title, path.build)
        changed = builds.change_build(services, current_actor(), path.title, path.build, body, expected)
        return changed, builds.notes_version(services, path.title, path.build)

    @api.call("POST", BUILD + "/missing", Act.MAKE_BUILD, wire.MissingOut)
    def ask_missing(path: wire.BuildPath, body: wire.MissingIn) -> wire.MissingOut:
        """Which of these chunks the service does not have."""
        return wire.MissingOut(missing=arrival.missing_chunks(services, path.title, path.build, body.digests))

    @api.call("PUT", BUILD + "/packs/<string:pack>", Act.MAKE_BUILD, wire.PackStored, sends=BYTES)
    def put_pack(path: wire.PackPath) -> wire.PackStored:
        """Send a pack, named by its BLAKE3 digest. Every chunk in it is checked. Can be sent again."""
        pieces = _body()
        return arrival.store_pack(services, path.title, path.build, bytes.fromhex(path.pack), pieces)

    @api.call("POST", BUILD + "/complete", Act.MAKE_BUILD, wire.Build)
    def complete_build(path: wire.BuildPath, body: wire.CompleteBuild) -> wire.Build:
        """Check everything, sign, and make the build ready."""
        return completion.complete_build(services, current_actor(), path.title, path.build, body)

    @api.call("POST", BUILD + "/abandon", Act.ABANDON_BUILD, wire.Build)
    def abandon_build(path: wire.BuildPath) -> wire.Build:
        """Give an open build up; its version code is burned."""
        return builds.abandon_build(services, current_actor(), path.title, path.build)

    @api.call("GET", BUILD + "/files", Act.READ, wire.FileList)
    def list_files(path: wire.BuildPath) -> wire.FileList:
        """All files of a build."""
        return stored_trees.list_files(services, path.title, path.build)

    @api.call("GET", BUILD + "/left-out", Act.READ, wire.LeftOutList)
    def list_left_out(path: wire.BuildPath) -> wire.LeftOutList:
        """What stayed out of a build, and why."""
        return stored_trees.list_left_out(services, path.title, path.build)

    _release_manifests(api, services)
    _downloads(api, services)
    return api


def _release_manifests(api: Resource, services: Services) -> None:
    """What says what a build is and where it lies."""

    @api.call("GET", BUILD + "/statement", Act.FETCH_BUILD, "application/vnd.in-toto+dsse")
    def get_statement(path: wire.BuildPath) -> Response:
        """The signed statement: a DSSE envelope."""
        build = stored_trees.find_ready(services, path.title, path.build)
        return _immutable(build.content.statement or b"", "application/vnd.in-toto+dsse", str(build.id))

    @api.call("GET", BUILD + "/provenance", Act.READ, "application/vnd.in-toto+dsse")
    def get_provenance(path: wire.BuildPath) -> Response:
        """How the bundle was made: SLSA provenance in a DSSE envelope."""
        return Response(
            stored_trees.provenance(services, path.title, path.build), content_type="application/vnd.in-toto+dsse"
        )

    @api.call("GET", BUILD + "/depots/<string:depot>/manifest", Act.FETCH_BUILD, BYTES)
    def get_manifest(path: wire.DepotPath) -> Response:
        """A depot's manifest."""
        build = reading.readable(services, current_actor(), path.title, path.build)
        for depot in build.depots:
            if depot.name == path.depot:
                return _immutable(services.store.manifest(depot.manifest), BYTES, depot.manifest.hex())
        raise NotFound("depot.unknown", f"{build.name} has no depot {path.depot!r}", where="depot")

    @api.call("GET", BUILD + "/depots/<string:depot>/manifest-difference", Act.FETCH_BUILD, BYTES)
    def get_manifest_difference(path: wire.DepotPath, query: wire.ManifestQuery) -> Response:
        """A depot's manifest as a difference against one that the device has; empty where that does not pay."""
        build = reading.readable(services, current_actor(), path.title, path.build)
        data = stored_trees.manifest_difference(services, build, path.depot, bytes.fromhex(query.base))
        return _immutable(data, BYTES, f"{query.base[:32]}-{path.depot}-{build.id}")

    @api.call("GET", BUILD + "/locations", Act.FETCH_BUILD, BYTES)
    def get_locations(path: wire.BuildPath, query: wire.LocationsQuery) -> Response:
        """Where the build's chunks lie in packs; with a base, those that it lacks, and differences against it."""
        reading.readable(services, current_actor(), path.title, path.build)
        return Response(places.locations_for(services, path.title, path.build, query), content_type=BYTES)


def _downloads(api: Resource, services: Services) -> None:
    """What devices and people fetch: immutable, with strong ETags."""

    @api.call("GET", BUILD + "/bundle", Act.READ, BYTES)
    def get_bundle(path: wire.BuildPath) -> Response:
        """The bundle, as it was signed."""
        with services.db.transaction() as session:
            build = find_build(session, path.title, path.build)
            bundle = build.bundle
            digests = stored_trees.split_digests(bundle.chunks) if bundle else []
        if bundle is None:
            raise NotFound("bundle.none", f"{build.name} is {build.state}: it has no bundle yet")
        if not may(current_actor().role, Act.READ_CONTENT):
            reading.readable_bundle(services, current_actor(), path.title, path.build)
        response = Response(stored_trees.stream_chunks(services, digests), content_type=BYTES)
        response.content_length = bundle.size
        response.headers["Content-Disposition"] = f'attachment; filename="{bundle.name}"'
        return _forever(response, bundle.sha256.hex())

    @api.call("GET", BUILD + "/signature", Act.READ, "application/pkcs7-signature")
    def get_signature(path: wire.BuildPath) -> Response:
        """The bundle's detached CMS signature (DER)."""
        build = stored_trees.find_ready(services, path.title, path.build)
        if build.bundle is None or build.bundle.signature is None:
            inside = build.bundle is not None and build.bundle.fingerprint
            why = "carries its signature inside" if inside else "is not signed"
            raise NotFound("bundle.unsigned", f"the bundle of {build.name} {why}")
        return _immutable(build.bundle.signature, "application/pkcs7-signature", build.bundle.sha256.hex() + "-sig")

    @api.call("GET", "/packs/<string:pack>", Act.READ_PACK, BYTES)
    def get_pack(path: wire.PackAddress) -> Response:
        """A pack's bytes; ranges welcome. The address never means anything else."""
        digest = bytes.fromhex(path.pack)
        size = reading.pack_size(services, current_actor(), digest)
        asked = parse_range_header(request.headers.get("Range"))
        address = services.store.pack_address(digest, asked.to_header() if asked else "")
        if address:
            return cast(Response, redirect(address, code=307))
        file = services.store.pack_file(digest)
        if file is None:
            return _out_of_store(services, digest, size)
        response = send_file(file, mimetype=BYTES, conditional=True, etag=path.pack)
        response.headers["Cache-Control"] = FOREVER
        return response


def _out_of_store(services: Services, digest: bytes, size: int) -> Response:
    """A range of a pack that is no file of this machine; Rampa's devices always ask for one."""

    def read(start: int, stop: int) -> bytes:
        return services.store.read_pack(digest, start, stop - start)

    return ranged(size, read, {"ETag": f'"{digest.hex()}"', "Cache-Control": FOREVER})


def _immutable(data: bytes, media_type: str, etag: str) -> Response:
    response = send_file(io.BytesIO(data), mimetype=media_type, conditional=True, etag=etag)
    response.headers["Cache-Control"] = FOREVER
    return response


def _forever(response: Response, etag: str) -> Response:
    response.headers["ETag"] = f'"{etag}"'
    response.headers["Cache-Control"] = FOREVER
    return response


def _body() -> Iterator[bytes]:
    while piece := request.stream.read(PIECE):
        yield piece
