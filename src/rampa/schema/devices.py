"""Devices: registered machines that install."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.schema.common import Number, Slug, Wire
from rampa.schema.titles.titles import TitlePath


class DevicePath(TitlePath):
    device: Slug


class NewDevice(Wire):
    """`number`: a random one that the device chose. `simulated` devices say so wherever they are shown."""

    name: Slug
    platform: Slug
    channel: Slug
    number: Annotated[str, StringConstraints(pattern=r"^([0-9a-f]{8,64})?$")] = ""
    simulated: bool = False


class Device(Wire):
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


class DeviceReport(Wire):
    """What an install or update did. Bytes, seconds."""

    build: Number
    downloaded: Annotated[int, Field(ge=0, le=2**53)] = 0
    reused: Annotated[int, Field(ge=0, le=2**53)] = 0
    written: Annotated[int, Field(ge=0, le=2**53)] = 0
    seconds: Annotated[float, Field(ge=0, le=1e9)] = 0.0
    note: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00]*$")] = ""
