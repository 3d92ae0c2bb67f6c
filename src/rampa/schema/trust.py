"""A title's trust: its root, the roles that the service signs for, drafts of a ceremony."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.core.trust.keys import MOST_HOLDER
from rampa.core.trust.root import LARGEST, MOST_HOLDERS
from rampa.core.trust.terms import TrustRole
from rampa.schema.common import Action, Digest, Wire

HolderName = Annotated[str, StringConstraints(min_length=1, max_length=MOST_HOLDER, pattern=r"^[^\x00-\x1f\x7f]+$")]
DraftText = Annotated[str, StringConstraints(max_length=3 * LARGEST, pattern=r"^[^\x00]*$")]


class RootHolder(Wire):
    """`public`: the public half of the holder's key (Ed25519, raw, hexadecimal)."""

    holder: HolderName
    public: Digest


class RootDraftIn(Wire):
    """Without holders those of the root before, and their threshold where it is 0. `new_keys`: the service makes itself new
    keys, which count once the root is published."""

    holders: Annotated[list[RootHolder], Field(max_length=MOST_HOLDERS)] = []
    threshold: Annotated[int, Field(ge=0, le=MOST_HOLDERS)] = 0
    new_keys: bool = False


class RootDraftOut(Wire):
    """The draft as a file: docs/formats.md has it."""

    draft: str


class PublishIn(Wire):
    draft: DraftText


class RoleStanding(Wire):
    """`alarm_at`: people are told from then on, where it was not signed again."""

    role: TrustRole
    version: int
    expires_at: dt.datetime
    alarm_at: dt.datetime
    alarm: bool


class RootOut(Wire):
    version: int
    holders: list[str]
    threshold: int
    expires_at: dt.datetime
    published_at: dt.datetime
    published_by: str


class Trust(Wire):
    """`root` is null for a title that had no ceremony. `trouble`: why the service cannot sign, in a sentence."""

    title: str
    identifier: str
    root: RootOut | None
    roles: list[RoleStanding] = []
    alarms: list[str] = []
    trouble: str = ""
    published_at: dt.datetime | None = None
    allowed_actions: list[Action] = []
