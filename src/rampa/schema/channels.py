"""Channels, placements and what they cost."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.core.check.findings import Finding
from rampa.core.content.tree.file_change import FileChange
from rampa.core.health.comparison import Verdict
from rampa.core.placement.channels import Audience
from rampa.core.placement.gates import GateKind
from rampa.core.placement.life import PlacementState
from rampa.schema.builds.builds import BuildSummary
from rampa.schema.common import Action, Number, Query, Slug, SlugOrNone, Wire
from rampa.schema.titles.titles import TitlePath

Share = Annotated[float, Field(allow_inf_nan=False)]
"""Percent, in tenths."""
PlanText = Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")]
"""Such as `1 %, 5 % after 4 h, 20 % after 1 day, all after 2 days`."""


class ChannelPath(TitlePath):
    channel: Slug


class PlacementPath(ChannelPath):
    placement: Number


class NewChannel(Wire):
    """It stands behind `after`, or first for an empty one; last without it."""

    name: Slug
    audience: Audience = Audience.BY_INVITATION
    after: SlugOrNone | None = None


class ChannelChange(Wire):
    """What is to change; the rest stays. `after`: the channel that it stands behind from now on, empty for the first place."""

    name: Slug | None = None
    audience: Audience | None = None
    after: SlugOrNone | None = None


class GateIn(Wire):
    """A rule of a channel. `channel` and `hours` are of stood-on, `count` people of approvals and play-sign-offs, `size` bytes of
    update-cost."""

    kind: GateKind
    channel: SlugOrNone = ""
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


class PublicOfferPath(Query):
    """`identifier` as in `example.quillback.peatlight`."""

    identifier: Annotated[str, StringConstraints(max_length=200, pattern=r"^[A-Za-z0-9._-]+$")]
    channel: Slug
    platform: Slug


class FeedPath(Query):
    identifier: Annotated[str, StringConstraints(max_length=200, pattern=r"^[A-Za-z0-9._-]+$")]
    channel: Slug


class OfferQuery(Query):
    platform: Slug


class PlaceIn(Wire):
    """`share`: percent of the line's devices that get it at first; all without it. `plan`: how it grows, in place of a share."""

    build: Number
    share: Share | None = None
    plan: PlanText = ""


class CostOut(Wire):
    """What going from one build to another takes, in bytes, exact for a device that has the first one whole.

    `download` is all that travels: differences and frames plus `metadata` (manifests, locations, the signed statement);
    `plain` is what it would be without differences and packs for players. `peak_disk`: the most that the two builds take while
    both are there. `making`: what is still made in the background; `expected`: about what the download is then, where that is
    known already.
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
    making: list[Literal["differences", "packs for players"]] = []
    expected: int = 0


class DevicesWith(Wire):
    """Devices that have a build, and what each of them does then."""

    build: BuildSummary
    devices: int
    update: CostOut


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
    updates: list[DevicesWith]
    """Every build that devices have there now, commonest first (12 at most), and what each of them does then."""
    devices: int
    """Devices that follow the channel for this platform and will update."""
    gates: list[GateOut]
    possible: bool
    etag: str
    player_packs: Literal["none", "to-make", "waiting", "making", "ready", "skipped", "stopped"] = "none"
    """Packs for players of this build; `to-make`: placing it asks for them."""
    differences_from: list[int] = []
    """The builds from which placing it makes differences."""


class Placement(Wire):
    number: int
    channel: str
    platform: str
    storefront: str
    """Empty: Rampa delivers the line itself."""
    line: str
    """Platform and storefront by their names: `Linux on Northquay`."""
    state: PlacementState
    share: float
    """Percent of the line's devices that are to have it."""
    plan: str
    next_at: dt.datetime | None
    next_share: float | None
    waits: str
    """What the next step waits for beside its time, as its plan says: `health is too little to tell`."""
    held_why: str
    back: bool
    """Rolled back to: devices go down to it."""
    verdict: Verdict | None
    """What its devices say beside those of the build before; null: not looked at yet."""
    health_said: str
    health_at: dt.datetime | None
    beside: int
    """The build that takes a part of its devices; 0: none."""
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
    allowed_actions: list[Action]


class ChannelList(Wire):
    items: list[Channel]


class OfferedBuild(Wire):
    build: int
    name: str
    version_name: str
    version_code: int
    share: float
    placed_at: dt.datetime


class Offer(Wire):
    """What a line's devices may be told: its live builds, newest first. `signed`: the same as a DSSE envelope, in base64.

    Which of them is for which device is worked out on the device.
    """

    title: str
    builds: list[OfferedBuild]
    expires_at: dt.datetime
    signed: str
