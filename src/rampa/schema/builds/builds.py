"""Builds: opening one, sending its content, completing it, reading it back. All sizes are bytes."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.core.build.life import BuildState
from rampa.core.check.findings import Finding
from rampa.core.content.select.left_out import LeftOut
from rampa.schema.bundles.bundles import BundleVerified
from rampa.schema.common import Action, Digest, Note, Number, PageQuery, Query, Slug, Wire
from rampa.schema.titles.titles import TitlePath

MISSING_LIMIT = 20_000
Base64 = Annotated[str, StringConstraints(max_length=90_000_000, pattern=r"^[A-Za-z0-9+/=]*$")]
Size = Annotated[int, Field(ge=0, le=2**53)]
Lease = Annotated[str, StringConstraints(pattern=r"^([0-9a-f]{32})?$")]
Word = Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^[^\x00-\x1f]+$")]
Path = Annotated[str, StringConstraints(max_length=1100)]


class BuildPath(TitlePath):
    build: Number


class PackPath(BuildPath):
    pack: Digest


class PackAddress(Query):
    pack: Digest


class DepotPath(BuildPath):
    depot: Slug


class LocationsQuery(Query):
    """`base`: the build that the device has; 0: nothing. The depots that are chosen and installed, separated by commas; without
    them those of a device that takes everything. `version`: the newest version of locations that the asker reads."""

    version: int = Field(default=2, ge=2, le=1000)
    base: int = Field(default=0, ge=0, le=2**31 - 1)
    depots: Annotated[str, StringConstraints(pattern=r"^[a-z0-9,-]{0,4000}$")] = ""
    base_depots: Annotated[str, StringConstraints(pattern=r"^[a-z0-9,-]{0,4000}$")] = ""


class ManifestQuery(Query):
    """`base`: the digest of a manifest that the device has."""

    base: Digest


class NewBuild(Wire):
    """Opens a build and reserves its version code. `revision` defaults to the newest."""

    profile: Slug
    version_name: Annotated[str, StringConstraints(max_length=64)] | None = None
    revision: Number | None = None
    notes: Note = ""
    lease: Lease = ""
    """An agent's lease of the run that makes it; asking twice then gives the same build."""


class MissingIn(Wire):
    digests: Annotated[list[Digest], Field(max_length=MISSING_LIMIT)]


class MissingOut(Wire):
    """Those of the digests asked about whose chunks the service does not have."""

    missing: list[str]


class PackStored(Wire):
    """`new_chunks` of the pack's `chunks` were not there before."""

    pack: str
    size: int
    chunks: int
    new_chunks: int


class ChunkIn(Wire):
    digest: Digest
    size: Annotated[int, Field(ge=1, le=16 * 1024 * 1024)]


class ManifestIn(Wire):
    depot: Slug
    data: Base64


class BundleIn(Wire):
    """The bundle that was made from the same content; its chunks are in order."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^[^/\\\x00-\x1f]+$")]
    size: Size
    sha256: Digest
    chunks: Annotated[list[ChunkIn], Field(max_length=1_000_000)]
    bare: Annotated[str, StringConstraints(pattern=r"^([0-9a-f]{64})?$")] = ""
    """SHA-256 of the bundle without a signature inside it."""


class WriteBundleIn(Wire):
    """A bundle that the service writes out of content that has arrived; `content`: its files, as a manifest of depot `bundle`."""

    bundle: BundleIn
    content: ManifestIn
    lease: Lease = ""


WritingState = Literal["writing", "written", "differs", "failed"]


class BundleWriting(Wire):
    """A line of the answer while a bundle is written; the last one has another state. `done` and `total` are bytes of content.

    `differs`: it came out with another digest; `failed` says why. Its maker sends it then."""

    state: WritingState
    done: int
    total: int
    why: str = ""


class SignBundleIn(Wire):
    """A bundle whose chunks have arrived."""

    bundle: BundleIn
    lease: Lease = ""


class SignaturesOut(Wire):
    """Base64; empty what it does not carry. `ec`: v1's key is of a curve; `contents`: hashes that the content is digested
    by."""

    ec: bool
    contents: list[str]
    identity: str
    fingerprint: str
    jar: str = ""
    v2: str = ""
    v3: str = ""


class LeftOutIn(Wire):
    path: Path
    size: Size
    why: Annotated[str, StringConstraints(max_length=300)]
    origin: Annotated[str, StringConstraints(max_length=200)] = ""


class Figures(Wire):
    """What the maker measured. `uploaded` bytes of packs, `present` bytes of chunks that were there already."""

    uploaded: Size = 0
    present: Size = 0
    seconds: Annotated[float, Field(ge=0, le=1e9)] = 0.0


class CompleteBuild(Wire):
    manifests: Annotated[list[ManifestIn], Field(min_length=1, max_length=200)]
    undelivered: Annotated[list[Path], Field(max_length=100_000)] = []
    left_out: Annotated[list[LeftOutIn], Field(max_length=200_000)] = []
    bundle: BundleIn
    figures: Figures = Figures()
    symbols: ManifestIn | None = None
    """Symbols are kept with the build and never delivered; their manifest is of a depot named `symbols`."""
    tools: Annotated[dict[str, Word], Field(max_length=50)] = {}
    """Tool -> its version."""
    findings: Annotated[list[Finding], Field(max_length=500)] = []
    lease: Lease = ""


class DepotOut(Wire):
    """`packed` is what a device downloads for this depot alone from nothing, without manifests.

    `note` says why that is more than `size`, as a clause, where it is.
    """

    name: str
    manifest: str
    manifest_size: int
    files: int
    size: int
    packed: int
    note: str = ""


class BundleOut(Wire):
    name: str
    size: int
    sha256: str
    identity: str
    fingerprint: str
    signed_at: dt.datetime | None
    kind: str
    beside: bool
    """Its signature is a file beside it."""
    bare: str
    says: BundleVerified | None
    """What was read back from it after signing: what the storefront will see."""


class BuildSummary(Wire):
    """A build in a list."""

    name: str
    """What people say aloud: `peatlight#14`."""
    title: str
    number: int
    profile: str
    platform: str
    purpose: str
    state: BuildState
    version_name: str
    version_code: int
    revision: int
    files: int
    size: int
    packed: int
    signed: bool
    live_on: list[str]
    created_at: dt.datetime
    completed_at: dt.datetime | None
    created_by: str
    notes: str
    pinned: bool
    run: int
    """The run that made it; 0: made from a folder by hand."""
    why: str
    content_of: int
    """The build that it is again, under a new version code; 0: none."""
    commit: str
    ref: str
    warnings: int


class Build(BuildSummary):
    subject: str
    agent: str
    tools: dict[str, str]
    durations: dict[str, float]
    """Step -> seconds."""
    symbols_files: int
    symbols_size: int
    native: str
    grant: int
    """The number of the grant that it was signed with; 0: none."""
    bundle: BundleOut | None
    bundle_name: str
    launch: str
    depots: list[DepotOut]
    findings: list[Finding]
    left_out_files: int
    left_out_size: int
    figures: Figures
    allowed_actions: list[Action]


class BuildChange(Wire):
    """What is null stays as it is. A pinned build is never removed."""

    notes: Note | None = None
    pinned: bool | None = None


class BuildQuery(PageQuery):
    """`sort` by number, newest first, or by size, largest first. `search` looks in notes, version names and commits.

    What was abandoned after a commit was tried for a bisect is listed with `state=abandoned` alone.
    """

    profile: Slug | None = None
    platform: Slug | None = None
    state: BuildState | None = None
    purpose: Literal["development", "testing", "release"] | None = None
    branch: Annotated[str, StringConstraints(max_length=250, pattern=r"^[^\x00]*$")] | None = None
    version: Annotated[str, StringConstraints(max_length=64, pattern=r"^[^\x00]*$")] | None = None
    placed: bool | None = None
    pinned: bool | None = None
    search: Annotated[str, StringConstraints(max_length=100, pattern=r"^[^\x00]*$")] | None = None
    sort: Literal["number", "size"] = "number"


class FileOut(Wire):
    path: str
    size: int
    depot: str
    executable: bool
    digest: str
    chunks: int
    link: str = ""


class FileList(Wire):
    """All files of a build, sorted by path."""

    files: list[FileOut]


class SymbolsPath(Query):
    ident: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{4,128}$")]


class SymbolsAt(Wire):
    build: str
    title: str
    number: int
    path: str
    size: int


class SymbolsFound(Wire):
    """Where the symbols of a native binary are kept; `ident` is its build id."""

    ident: str
    items: list[SymbolsAt]


class LeftOutList(Wire):
    files: list[LeftOut]
