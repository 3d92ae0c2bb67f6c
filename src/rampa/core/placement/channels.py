"""The channels that a title has to begin with, and whom a channel is for."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Audience(StrEnum):
    """Who may follow a channel."""

    BY_INVITATION = "by-invitation"
    FOR_EVERYBODY = "for-everybody"


@dataclass(frozen=True, slots=True)
class FirstChannel:
    """`reviewed`: only what reviewers passed may stand there."""

    name: str
    audience: Audience
    reviewed: bool = False


FIRST_CHANNELS = (
    FirstChannel("studio", Audience.BY_INVITATION),
    FirstChannel("testers", Audience.BY_INVITATION),
    FirstChannel("early", Audience.FOR_EVERYBODY),
    FirstChannel("public", Audience.FOR_EVERYBODY, reviewed=True),
)
