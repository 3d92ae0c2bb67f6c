"""Version codes: the next ones, who holds which, what is taken at a storefront."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.schema.common import PageQuery, Slug, Wire

Code = Annotated[int, Field(ge=1, le=2_147_483_647)]
Identifier = Annotated[str, StringConstraints(max_length=200, pattern=r"^[a-z0-9._-]*$")]


class NextCode(Wire):
    """`code` is what the profile's next build would get; null, and `stops` says why. `place` is a storefront or a platform."""

    profile: str
    identifier: str
    place: str
    forming: str
    version_name: str
    code: int | None
    limit: int
    needs_grant: bool
    stops: str
    hint: str


class NextCodes(Wire):
    items: list[NextCode]


class HistoryQuery(PageQuery):
    place: Slug | None = None
    identifier: Identifier | None = None
    code: Code | None = None


class CodeHeld(Wire):
    """`state`: held by an open build, used by a finished one, burned by one that failed, or taken at the storefront."""

    identifier: str
    place: str
    platform: str
    code: int
    version_name: str
    state: str
    why: str
    build: int | None
    run: int | None
    origin: str
    by: str
    at: dt.datetime


class TakenIn(Wire):
    """`origin` hand: a person knows; bundle: read from a bundle that is at the storefront."""

    place: Slug
    code: Code
    identifier: Identifier = ""
    version_name: Annotated[str, StringConstraints(max_length=64, pattern=r"^[^\x00]*$")] = ""
    note: Annotated[str, StringConstraints(max_length=300, pattern=r"^[^\x00]*$")] = ""
    origin: Literal["manual", "bundle"] = "manual"
