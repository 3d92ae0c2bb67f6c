"""The roles of a title's trust (TUF 1.0, section 2.1), and how long what each of them signs holds.

root        people's keys, kept offline; says which keys the others have; made and changed by a ceremony
targets     which channels there are, each with a role of its own
channels    the key of every channel's role: what is live on its lines
snapshot    which versions of these belong together
timestamp   which snapshot is the newest; the one file whose name stays
"""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from enum import StrEnum


class TrustRole(StrEnum):
    ROOT = "root"
    TARGETS = "targets"
    CHANNELS = "channels"
    SNAPSHOT = "snapshot"
    TIMESTAMP = "timestamp"


TOP = (TrustRole.TARGETS, TrustRole.SNAPSHOT, TrustRole.TIMESTAMP)
"""The root names their keys. Those of channels are named by targets: a new one takes no ceremony."""
ONLINE = (*TOP, TrustRole.CHANNELS)
"""Their keys rest in the vault; the service signs with them by itself."""


@dataclass(frozen=True)
class Term:
    """`life`: from signing to the end. Signed again once only `renew` is left of it; people are told once only `alarm` is."""

    life: dt.timedelta
    renew: dt.timedelta
    alarm: dt.timedelta


TERMS = {
    # A year for people to meet again in; half a year to be told in.
    TrustRole.ROOT: Term(dt.timedelta(days=365), dt.timedelta(days=180), dt.timedelta(days=180)),
    TrustRole.TARGETS: Term(dt.timedelta(days=90), dt.timedelta(days=60), dt.timedelta(days=45)),
    TrustRole.CHANNELS: Term(dt.timedelta(days=30), dt.timedelta(days=20), dt.timedelta(days=15)),
    TrustRole.SNAPSHOT: Term(dt.timedelta(days=14), dt.timedelta(days=10), dt.timedelta(days=7)),
    # For so long a mirror can hold devices back unnoticed; and for so long, less a quarter, the service may be away.
    TrustRole.TIMESTAMP: Term(dt.timedelta(hours=48), dt.timedelta(hours=42), dt.timedelta(hours=24)),
}


def term_of(role: str) -> Term:
    """By a role's name in the metadata: a channel's counts as `channels`."""
    return TERMS[TrustRole(role) if role in set(TrustRole) else TrustRole.CHANNELS]


def channel_role(number: str) -> str:
    """The role of a channel, by the channel's number (hexadecimal): its name is nobody's business but its devices'."""
    return f"channel-{number}"
