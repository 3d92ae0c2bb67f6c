"""Releases: builds of one version over platforms, placed together."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.core.placement.release import ReleaseLineState
from rampa.schema.builds.builds import BuildSummary
from rampa.schema.channels import PlacePreview, PlanText, Share
from rampa.schema.common import Action, Number, Page, PageQuery, Slug, Wire
from rampa.schema.rollouts import RollBackPreview, Rollout
from rampa.schema.titles.titles import TitlePath

Reason = Annotated[str, StringConstraints(min_length=1, max_length=1000, pattern=r"^[^\x00]*$")]
Language = Annotated[str, StringConstraints(max_length=35, pattern=r"^[A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*$")]
"""A language tag (RFC 5646)."""
Audience = Literal["players", "testers"]


class ReleasePath(TitlePath):
    release: Number


class ReleaseChannelPath(ReleasePath):
    channel: Slug


class NewRelease(Wire):
    """Of these builds, of what the runs made that were started together with `run`, or of the newest build of each line that
    a commit gave; of exactly one of the three."""

    builds: Annotated[list[Number], Field(max_length=100)] = []
    run: Number | None = None
    commit: Annotated[str, StringConstraints(pattern=r"^([0-9a-f]{7,64})?$")] = ""


class AddBuild(Wire):
    build: Number


class LeaveOut(Wire):
    """`profile` whose line goes without, or comes back with an empty reason."""

    profile: Slug
    reason: Annotated[str, StringConstraints(max_length=1000, pattern=r"^[^\x00]*$")]


class ReleaseNote(Wire):
    """What a person wrote."""

    audience: Audience
    language: Language
    text: Annotated[str, StringConstraints(max_length=20_000, pattern=r"^[^\x00]*$")]
    by: str = ""
    at: dt.datetime | None = None


class NotesDraft(Wire):
    """What changed, as the commits say it, since what is live on a channel: to begin from, not to publish."""

    since: str
    """What is live there, such as `peatlight#14`; empty where nothing is."""
    subjects: list[str]
    left: int
    """Commits that are not listed, because there are many."""


class ReleaseLine(Wire):
    """One line, and how far it is. `said`: why it lags, failed or was left out."""

    profile: str
    platform: str
    line: str
    state: ReleaseLineState
    build: BuildSummary | None
    said: str


class ReleaseSummary(Wire):
    number: int
    title: str
    version_name: str
    purpose: str
    builds: list[int]
    live_on: list[str]
    """Channels on which all of its builds are live."""
    created_at: dt.datetime
    created_by: str


class Release(ReleaseSummary):
    lines: list[ReleaseLine]
    notes: list[ReleaseNote]
    allowed_actions: list[Action]


class ReleasePage(Page[ReleaseSummary]):
    pass


class ReleaseQuery(PageQuery):
    pass


class PlaceReleaseIn(Wire):
    share: Share | None = None
    plan: PlanText = ""


class GrowReleaseIn(Wire):
    share: Share


class ReleasePlaceLine(Wire):
    """`placing`: what it would do; None where nothing goes. `said`: why not."""

    line: ReleaseLine
    placing: PlacePreview | None
    said: str


class ReleasePreview(Wire):
    """All lines or none: `possible` only where each that goes can go, and no line lags without a reason."""

    number: int
    title: str
    version_name: str
    channel: str
    lines: list[ReleasePlaceLine]
    obstacles: list[str]
    possible: bool
    etag: str


class RollBackOfRelease(Wire):
    """What rolling a channel back to a release would do, line by line: all of them or none."""

    lines: list[RollBackPreview]
    obstacles: list[str]
    etag: str


class Rollouts(Wire):
    items: list[Rollout]
