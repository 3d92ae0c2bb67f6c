"""Channels, placements and what they cost."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.core.check.findings import Finding
from rampa.core.content.tree.file_change import FileChange
from rampa.core.placement.channels import Audience
from rampa.core.placement.gates import GateKind
from rampa.core.placement.life import PlacementState
from rampa.schema.builds.builds import BuildSummary
from rampa.schema.common import Action, Number, Query, Slug, Wire
from rampa.schema.titles.titles import TitlePath

ChannelName = Annotated[str, StringConstraints(pattern=r"^([a-z0-9][a-z0-9-]{0,48})?$")]


class ChannelPath(TitlePath):
    channel: Slug


class PlacementPath(ChannelPath):
    placement: Number


class NewChannel(Wire):
    """It stands behind `after`, or first for an empty one; last without it."""

    name: Slug
    audience: Audience = Audience.BY_INVITATION
    after: ChannelName | None = None


class ChannelChange(Wire):
    """What is to change; the rest stays. `after`: the channel that it stands behind from now on, empty for the first place."""

    name: Slug | None = None
    audience: Audience | None = None
    after: ChannelName | None = None


class GateIn(Wire):
    """A rule of a channel. `channel` and `hours` are of stood-on, `count` people of approvals and play-sign-offs, `size` bytes of
    update-cost."""

    kind: GateKind
    channel: ChannelName = ""
    hours: Annotated[int, Field(ge=0, le=10_000)] = 0
    count: Annotated[int, Field(ge=0, le=1000)] = 0
    size: Annotated[int, Field(ge=0, le=2**50)] = 0


class GatesIn(Wire):
    """All of a channel's gates, in place of those that it has."""

    gates: Annotated[list[GateIn], Field(max_length=30)]


class WaiveIn(Wire):
    """`gate` as it is called: `approvals`, `stood-on:testers`. The reason stays, and everybody reads it."""

    gate: Annotated[str, StringConstraints(max_length=80, pattern=r"^[a-z0-9:-]+$")]
    reason: Annotated[str, StringConstraints(max_length=1000, pattern=r"^[^\x00]*$")]


class WaivedOut(Wire):
    gate: str
    reason: str
    waived_by: str
    at: dt.datetime


class GateOut(Wire):
    """How a gate stands for one build. Where it is closed: what is `missing`, `who` can do it and `where`."""

    gate: str
    said: str
    state: Literal["passed", "closed", "waived"]
    missing: str
    who: str
    where: str
    waived: WaivedOut | None


class GatesOut(Wire):
    items: list[GateOut]


class GateBuildPath(ChannelPath):
    build: Number


class OfferQuery(Query):
    platform: Slug


class PlaceIn(Wire):
    build: Number


class CostOut(Wire):
    """What going from one build to another takes, in bytes, exact for a device that has the first one whole.

    `download` is all that travels: differences and frames plus `metadata` (manifests, locations, the signed statement);
    `plain` is what it would be without differences. `peak_disk`: the most that the two builds take while both are there.
    """

    download: int
    metadata: int
    reused: int
    written: int
    requests: int
    plain: int
    differences: int
    """Bytes of the download that are differences against what the device has."""
    peak_disk: int


class PlacePreview(Wire):
    """What placing would do. `etag` is the channel's state; send it as If-Match when confirming."""

    build: BuildSummary
    channel: str
    replaces: BuildSummary | None
    findings: list[Finding]
    changes: list[FileChange]
    changes_left: int
    """Changes that are not listed, because there are many."""
    update: CostOut | None
    fresh: CostOut | None
    devices: int
    """Devices that follow the channel for this platform and will update."""
    gates: list[GateOut]
    possible: bool
    etag: str


class Placement(Wire):
    number: int
    channel: str
    platform: str
    storefront: str
    """Empty: Rampa delivers the line itself."""
    line: str
    """Platform and storefront by their names: `Linux on Northquay`."""
    state: PlacementState
    build: BuildSummary
    placed_at: dt.datetime
    placed_by: str
    ended_at: dt.datetime | None
    devices: int
    """Devices that have this build now."""
    following: int
    """Devices that follow the channel for this platform."""
    waived: list[WaivedOut]
    """Gates that an owner waived for it."""
    allowed_actions: list[Action]


class Channel(Wire):
    name: str
    title: str
    audience: Audience
    former: list[str]
    """Names that it had; they go on meaning it."""
    gates: list[GateIn]
    live: list[Placement]
    history: list[Placement]
    closed: str
    allowed_actions: list[Action]


class ChannelList(Wire):
    items: list[Channel]


class Offer(Wire):
    """What a device that follows the channel should have now. `signed`: the same as a DSSE envelope, in base64."""

    title: str
    build: int
    name: str
    version_name: str
    version_code: int
    placed_at: dt.datetime
    expires_at: dt.datetime
    signed: str
