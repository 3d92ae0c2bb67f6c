"""Devices: registered machines that install."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.core.devices.proof import MOST_USES
from rampa.schema.common import Id, Number, Query, Slug, Wire
from rampa.schema.titles.titles import TitlePath

DeviceNumber = Annotated[str, StringConstraints(pattern=r"^([0-9a-f]{8,64})?$")]
Said = Annotated[str, StringConstraints(max_length=40, pattern=r"^[^\x00-\x1f\x7f]*$")]
MOST_DEPOTS, MOST_RATE = 500, 1e6
Signature = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{128}$")]


class DevicePath(TitlePath):
    device: Slug


class DeviceIdPath(Query):
    device_id: Id


class NewDevice(Wire):
    """`number`: a random one that the device chose. `simulated` devices say so wherever they are shown."""

    name: Slug
    platform: Slug
    channel: Slug
    number: DeviceNumber = ""
    simulated: bool = False


class RegisterDevice(Wire):
    """What a device says of itself, with the code that somebody made for it. `public_key`: the raw Ed25519 key that it made;
    `proof`: its signature over the code (rampa.core.devices.proof). `form`: its class; `level`: its system's level."""

    code: Annotated[str, StringConstraints(max_length=60, pattern=r"^[A-Za-z2-7 -]+$")]
    public_key: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
    proof: Signature
    name: Slug
    platform: Slug
    form: Said = ""
    level: Said = ""
    number: DeviceNumber = ""
    simulated: bool = False


class Registered(Wire):
    """A device that is known from now on. `manifest_key`: the title's, to be pinned: nothing else is installed."""

    device_id: str
    name: str
    title: str
    title_name: str
    identifier: str
    channel: str
    platform: str
    manifest_key: str


class DeviceChallenge(Wire):
    """To be signed; hexadecimal."""

    challenge: str


class DeviceSessionIn(Wire):
    """`uses` rises by one or more with each session of a device; `signature` is over it and the challenge."""

    challenge: Annotated[str, StringConstraints(max_length=200, pattern=r"^([0-9a-f]{2})+$")]
    uses: Annotated[int, Field(ge=1, le=MOST_USES)]
    signature: Signature


class DeviceSession(Wire):
    """A bearer token for so many seconds."""

    token: str
    seconds: float


class Device(Wire):
    """`person` whose it is; empty for one that an engineer wrote down. `keyed`: it made a key, and calls by itself. `cannot_run`:
    live builds of its channel that were signed before it was known."""

    name: str
    title: str
    platform: str
    channel: str
    simulated: bool
    build: int | None
    build_name: str
    registered_at: dt.datetime
    last_seen_at: dt.datetime | None
    registered_by: str
    person: str = ""
    form: str = ""
    level: str = ""
    keyed: bool = False
    cannot_run: list[int] = []


class DeviceReport(Wire):
    """What an install or update did. Bytes, seconds. `depots`: those that the device has now; `rate`: Mbit/s of its download, 0
    where too little came to say; `unpacks`: MB of content a second that it opens of what is packed smallest, 0 where it did not
    measure."""

    build: Number
    downloaded: Annotated[int, Field(ge=0, le=2**53)] = 0
    reused: Annotated[int, Field(ge=0, le=2**53)] = 0
    written: Annotated[int, Field(ge=0, le=2**53)] = 0
    seconds: Annotated[float, Field(ge=0, le=1e9)] = 0.0
    depots: Annotated[list[Slug], Field(max_length=MOST_DEPOTS)] = []
    rate: Annotated[float, Field(ge=0, le=MOST_RATE)] = 0.0
    unpacks: Annotated[float, Field(ge=0, le=MOST_RATE)] = 0.0
    note: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00]*$")] = ""
