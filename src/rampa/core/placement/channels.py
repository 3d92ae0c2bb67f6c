"""The channels that a title has to begin with, whom a channel is for, and their order."""

from __future__ import annotations

from collections.abc import Sequence
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


def moved(names: Sequence[str], name: str, after: str | None) -> list[str]:
    """The order with `name` behind `after`; first for an empty `after`, and where it was for None."""
    if after is None or after == name:
        return list(names)
    others = [n for n in names if n != name]
    at = others.index(after) + 1 if after else 0
    return [*others[:at], name, *others[at:]]
