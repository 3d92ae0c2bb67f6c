"""Titles, their profile documents and the ramp."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import StringConstraints

from rampa.core.build.life import BuildState
from rampa.core.check.findings import Finding
from rampa.core.placement.life import PlacementState
from rampa.core.placement.stations import Station
from rampa.schema.common import Action, Number, Query, Slug, Wire

DocumentText = Annotated[str, StringConstraints(min_length=1, max_length=8_000_000)]


class TitlePath(Query):
    title: Slug


class RevisionPath(TitlePath):
    revision: Number


class DocumentIn(Wire):
    """A profile document's text, and why it changed."""

    document: DocumentText
    message: Annotated[str, StringConstraints(max_length=500, pattern=r"^[^\x00]*$")] = ""
    commit: Annotated[str, StringConstraints(pattern=r"^([0-9a-f]{7,64})?$")] = ""
    """Where a repository owns the document: the commit that it comes from."""


class ProfileOut(Wire):
    """A profile in short."""

    name: str
    platform: str
    platform_title: str
    purpose: str
    architectures: list[str]
    identity: str
    launch: str


class Title(Wire):
    slug: str
    name: str
    identifier: str
    revision: int
    version_name: str
    profiles: list[ProfileOut]
    depots: list[str]
    manifest_key: str
    """Raw Ed25519 public key, 64 hexadecimal digits: what devices pin."""
    source: str
    """The repository that owns the document; empty where the service does."""
    source_path: str
    sandbox_needed: bool
    """Whether its runs go only to agents that have a sandbox."""
    created_at: dt.datetime


class SandboxIn(Wire):
    """`needed`: runs go only to agents that have one."""

    needed: bool


class Revision(Wire):
    number: int
    message: str
    created_at: dt.datetime
    created_by: str
    digest: str
    commit: str = ""


class RevisionText(Revision):
    document: str


class RampPlace(Wire):
    """How far a build is out on a channel. `rest`: another build takes a part of its devices."""

    channel: str
    state: PlacementState
    share: float
    rest: bool


class RampBuild(Wire):
    """A build on the ramp. `height` is the index of the station it has reached."""

    number: int
    version_name: str
    version_code: int
    height: int
    state: BuildState
    live_on: list[str]
    places: list[RampPlace]
    shares: dict[str, int]
    """channel -> per cent of the devices that follow it and have this build; only where it is live and devices report."""
    devices: dict[str, int]
    created_at: dt.datetime
    created_by: str
    size: int
    stop: Finding | None = None
    """What keeps the build from its next station."""
    next: Action | None = None


class RampRow(Wire):
    """A profile's builds, newest first. `stops` are what keeps a next build from starting, in words; empty when one may.

    `line` names its platform and storefront: `Linux on Northquay`.
    """

    profile: str
    platform: str
    line: str
    stops: list[str]
    builds: list[RampBuild]


class Ramp(Wire):
    """What is live where, what comes next, what blocks it. `at` is when it was true."""

    title: str
    stations: list[Station]
    rows: list[RampRow]
    at: dt.datetime
