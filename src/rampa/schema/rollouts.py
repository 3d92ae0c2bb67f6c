"""Rollouts: a placement's growing share, what it was, and going back."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import StringConstraints

from rampa.core.placement.life import PlacementState
from rampa.schema.builds.builds import BuildSummary
from rampa.schema.channels import DevicesWith, Placement, PlanText, Share
from rampa.schema.common import Number, Wire


class GrowIn(Wire):
    share: Share


class PlanIn(Wire):
    """Empty: it grows by hand from now on."""

    plan: PlanText


class HoldIn(Wire):
    why: Annotated[str, StringConstraints(max_length=1000, pattern=r"^[^\x00]*$")] = ""


class RollBackIn(Wire):
    """A build that was placed there before."""

    build: Number


class PlacementChange(Wire):
    """What it was from a moment on."""

    at: dt.datetime
    state: PlacementState
    share: float
    by: str
    why: str


class Rollout(Placement):
    changes: list[PlacementChange]


class RollBackPreview(Wire):
    """What rolling back would do. `new_code`: the platform's codes cannot go down, and the build is signed under a new one.

    `devices` have other builds, commonest first; one that kept the build downloads nothing. `obstacle`: why it is not possible.
    """

    build: BuildSummary
    channel: str
    replaces: list[BuildSummary]
    new_code: bool
    devices: list[DevicesWith]
    obstacle: str
    etag: str
