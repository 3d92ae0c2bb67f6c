"""Sources: repositories with branches, tags and commits; uploaded folders; what agents fetch from."""

from __future__ import annotations

import zlib
from collections.abc import Iterator

from flask import Response, request

from rampa.core.errors import Invalid, NotFound
from rampa.operations.base import Act, Services
from rampa.operations.content import arrival
from rampa.operations.sources import archive, commits, folders, repository
from rampa.schema import sources as wire
from rampa.schema.builds import builds as builds_wire
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

SOURCE = "/titles/<string:title>/source"
FOLDER = "/titles/<string:title>/folders"
BYTES = "application/octet-stream"
ZSTD = "application/zstd"
PIECE = 256 * 1024
ASKED_LIMIT = 16 * 1024 * 1024
ADVERTISED = "application/x-git-upload-pack-advertisement"
PACKED = "application/x-git-upload-pack-result"


def resource(services: Services) -> Resource:
    api = Resource("sources")
    _repositories(api, services)
    _folders(api, services)
    _git(api, services)
    return api


def _repositories(api: Resource, services: Services) -> None:
    @api.call("GET", SOURCE, Act.READ, wire.SourceOut)
    def get_source(path: TitlePath) -> wire.SourceOut:
        """A title's repository, and how its mirror stands."""
        return repository.get_source(services, path.title)

    @api.call("PUT", SOURCE, Act.CONNECT_SOURCE, wire.SourceOut)
    def connect_source(path: TitlePath, body: wire.SourceIn) -> wire.SourceOut:
        """Connect a repository. It is fetched in the background: `tried_at` moves on when that was done."""
        return repository.connect_source(services, current_actor(), path.title, body)

    @api.call("POST", SOURCE + "/fetch", Act.FETCH_SOURCE, wire.SourceOut)
    def fetch_source(path: TitlePath) -> wire.SourceOut:
        """Fetch in the background."""
        return repository.ask_fetch(services, current_actor(), path.title)

    @api.call("PUT", SOURCE + "/defaults", Act.CONNECT_SOURCE, wire.SourceOut)
    def set_defaults(path: TitlePath, body: wire.DefaultsIn) -> wire.SourceOut:
        """Which profiles and which step variables the branches have."""
        return repository.set_defaults(services, current_actor(), path.title, body)

    @api.call("GET", SOURCE + "/refs", Act.READ, Page[wire.RefOut])
    def list_refs(path: TitlePath, query: wire.RefQuery) -> Page[wire.RefOut]:
        """Branches or tags, the newest commit first, with what was built from it."""
        return commits.list_refs(services, path.title, query)

    @api.call("GET", SOURCE + "/commits", Act.READ, Page[wire.CommitOut])
    def list_commits(path: TitlePath, query: wire.CommitQuery) -> Page[wire.CommitOut]:
        """Commits of a branch, a tag or from a commit on back."""
        return commits.list_commits(services, path.title, query)

    @api.call("GET", SOURCE + "/matches", Act.READ, wire.MatchesOut)
    def match_refs(path: TitlePath, query: wire.MatchQuery) -> wire.MatchesOut:
        """Which of the existing branches or tags a pattern matches."""
        return commits.matches(services, path.title, query)

    @api.call("GET", SOURCE + "/proposal", Act.READ, wire.SeenDocument)
    def propose_from_source(path: TitlePath, query: wire.OfQuery) -> wire.SeenDocument:
        """The profile document that stands in the repository, or one proposed from its tree."""
        return commits.proposal(services, path.title, query.of)

    @api.call("GET", "/titles/<string:title>/builds/<int:build>/source-archive", Act.READ_ARCHIVE, ZSTD)
    def get_source_archive(path: builds_wire.BuildPath) -> Response:
        """The source of a build's commit as a tar.zst, for licences that ask for it; the same bytes each time."""
        name, pieces = archive.source_archive(services, path.title, path.build)
        response = Response(pieces, content_type=ZSTD)
        response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
        return response

    @api.call("POST", "/repositories/try", Act.CONNECT_SOURCE, wire.SeenDocument)
    def try_repository(body: wire.TryIn) -> wire.SeenDocument:
        """The profile document of a repository that no title has yet, or one proposed from its tree. Keeps nothing."""
        return commits.look_at(services, body)

    @api.call("GET", SOURCE + "/modules", Act.READ_SOURCE, wire.ModuleList)
    def list_modules(path: TitlePath, query: wire.OfQuery) -> wire.ModuleList:
        """A commit's submodules, mirrored for agents."""
        return commits.modules(services, path.title, query.of)


def _folders(api: Resource, services: Services) -> None:
    @api.call("GET", FOLDER, Act.READ, Page[wire.FolderOut])
    def list_folders(path: TitlePath) -> Page[wire.FolderOut]:
        """Uploaded folders, newest first."""
        return Page[wire.FolderOut](items=folders.list_folders(services, path.title))

    @api.call("POST", FOLDER, Act.UPLOAD_FOLDER, wire.FolderOut, status=201)
    def add_folder(path: TitlePath, body: wire.NewFolder) -> wire.FolderOut:
        """A folder whose chunks have arrived."""
        return folders.add_folder(services, current_actor(), path.title, body)

    @api.call("POST", FOLDER + "/missing", Act.UPLOAD_FOLDER, builds_wire.MissingOut)
    def ask_missing_of_folder(path: TitlePath, body: builds_wire.MissingIn) -> builds_wire.MissingOut:
        """Which of these chunks the service does not have."""
        return builds_wire.MissingOut(missing=arrival.missing_of(services, body.digests))

    @api.call("PUT", FOLDER + "/packs/<string:pack>", Act.UPLOAD_FOLDER, builds_wire.PackStored, sends=BYTES)
    def put_folder_pack(path: wire.SourcePackPath) -> builds_wire.PackStored:
        """Send a pack, named by its BLAKE3 digest. Every chunk in it is checked. Can be sent again."""
        return arrival.take_pack(services, bytes.fromhex(path.pack), _body())

    @api.call("GET", FOLDER + "/<int:folder>/manifest", Act.READ_SOURCE, BYTES)
    def get_folder_manifest(path: wire.FolderPath) -> Response:
        """The manifest of an uploaded folder."""
        return Response(folders.folder_manifest(services, path.title, path.folder), content_type=BYTES)

    @api.call("GET", FOLDER + "/<int:folder>/locations", Act.READ_SOURCE, BYTES)
    def get_folder_locations(path: wire.FolderPath) -> Response:
        """Where its chunks lie."""
        return Response(folders.folder_locations(services, path.title, path.folder), content_type=BYTES)


def _git(api: Resource, services: Services) -> None:
    """What `git fetch` speaks over HTTP (gitprotocol-http), for reading only: agents bring what they lack, and nothing else."""

    def mirror(title: str, repo: str):  # type: ignore[no-untyped-def]
        row, opened = commits.open_mirror(services, title)
        if repo == "source.git":
            return opened
        name = repo.removesuffix(".git").removeprefix("module-")
        if not name.isdigit():
            raise NotFound("source.unknown", "there is no such repository here")
        return repository.module_mirror(services, row, int(name))

    @api.call("GET", SOURCE + "/git/<string:repo>/info/refs", Act.READ_SOURCE, ADVERTISED)
    def advertise_refs(path: wire.GitPath, query: wire.GitQuery) -> Response:
        """For `git fetch`."""
        response = Response(mirror(path.title, path.repo).advertise(), content_type=ADVERTISED)
        response.headers["Cache-Control"] = "no-store"
        return response

    @api.call(
        "POST",
        SOURCE + "/git/<string:repo>/git-upload-pack",
        Act.READ_SOURCE,
        PACKED,
        sends=BYTES,
    )
    def send_objects(path: wire.GitPath) -> Response:
        """For `git fetch`."""
        return Response(mirror(path.title, path.repo).answer(_asked()), content_type=PACKED)


def _asked() -> bytes:
    data = request.get_data()
    if request.headers.get("Content-Encoding") != "gzip":
        return data
    try:
        inflater = zlib.decompressobj(16 + zlib.MAX_WBITS)
        # Unpacked only so far: a few kilobytes can be made to unpack to gigabytes.
        plain = inflater.decompress(data, ASKED_LIMIT)
    except zlib.error as error:
        raise Invalid("git.request", "the request cannot be decompressed") from error
    if inflater.unconsumed_tail:
        raise Invalid("git.request", "the request is too large")
    return plain


def _body() -> Iterator[bytes]:
    while piece := request.stream.read(PIECE):
        yield piece
