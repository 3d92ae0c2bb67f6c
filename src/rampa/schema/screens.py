"""Simulated devices that one can look at."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field

from rampa.core.devices.screen import Form, Network, ScreenAct, ScreenState, UpdateHabit
from rampa.schema.common import Id, Query, Slug, SlugOrNone, Wire


class ScreenPath(Query):
    device: Id


class NewScreen(Wire):
    """A simulated device of one's own: its form, the platform whose builds it installs, and the class that it reports as, such as
    visor-2; without one, by its form."""

    name: Slug
    form: Form
    platform: Slug = "linux"
    kind: SlugOrNone = ""


class HostedScreen(NewScreen):
    """What the host of simulated devices is told: the code registers the device."""

    code: Annotated[str, Field(max_length=40)]


class ScreenActIn(Wire):
    act: ScreenAct


class ScreenSet(Wire):
    """`room`: bytes that are free on its disk, null for this machine's; `clock`: seconds by which its clock is off."""

    habit: UpdateHabit
    network: Network
    room: Annotated[int, Field(ge=0, lt=2**50)] | None
    clock: Annotated[float, Field(ge=-3_153_600_000, le=3_153_600_000, allow_inf_nan=False)]


class ScreenBuild(Wire):
    build: int
    version_name: str


class ScreenProgress(Wire):
    """Bytes; `rate` in bytes a second."""

    phase: str
    done: int
    total: int
    rate: float
    seconds_left: float | None


class Screen(Wire):
    """What a simulated device shows, and what its person can do there now. `trouble` is a sentence, empty for none; `said` the
    end of what the title's program printed."""

    device: str
    name: str
    title: str
    title_name: str = ""
    channel: str
    platform: str
    form: Form
    state: ScreenState
    installed: ScreenBuild | None
    found: ScreenBuild | None
    progress: ScreenProgress | None
    trouble: str
    said: str
    looked_at: dt.datetime | None
    habit: UpdateHabit
    network: Network
    room: int | None
    clock: float
    has_picture: bool
    acts: list[ScreenAct]


class Screens(Wire):
    """`hosted`: whether simulated devices run here at all."""

    items: list[Screen]
    hosted: bool
