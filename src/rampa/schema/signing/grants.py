"""Grants: which devices a restricted build may run on."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field

from rampa.schema.common import Slug, Wire


class NewGrant(Wire):
    """For what `profile` builds. `devices` empty: all that are registered for its platform now."""

    profile: Slug
    devices: Annotated[list[Slug], Field(max_length=10_000)] = []
    days: Annotated[int, Field(ge=1, le=366)] = 90


class GrantOut(Wire):
    number: int
    identifier: str
    purpose: str
    identity: str
    fingerprint: str
    devices: list[str]
    expires_at: dt.datetime
    ended: bool
    created_by: str
    created_at: dt.datetime
    builds: list[int]


class Restriction(Wire):
    """`needed`: the platform runs this build only with a grant; it names the identifier, and the certificate by SHA-256."""

    needed: bool
    identifier: str
    certificate: str


class Behind(Wire):
    """A build that `devices` cannot run until it is signed again; `grant` 0: it has none."""

    build: int
    name: str
    profile: str
    grant: int
    devices: list[str]
    newest: bool
    """There is no newer grant: one must be made first."""


class Grants(Wire):
    items: list[GrantOut]
    behind: list[Behind]


class ReSignIn(Wire):
    """`grant` 0: the newest that fits."""

    grant: Annotated[int, Field(ge=0, le=2**31 - 1)] = 0


class ReSigned(Wire):
    build: int
    before: int
    grant: int
    devices: list[str]


class ReSignedFor(Wire):
    """What was signed again so that a device can run it."""

    device: str
    items: list[ReSigned]
