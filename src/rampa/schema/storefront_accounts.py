"""The studio's accounts at storefronts, as Rampa holds them."""

from __future__ import annotations

import datetime as dt
from enum import StrEnum
from typing import Annotated

from pydantic import StringConstraints

from rampa.core.submission.account import AccountState
from rampa.schema.common import Action, Query, Slug, Wire
from rampa.schema.storefronts import Ability


class StorefrontKind(StrEnum):
    """How Rampa speaks to it: the storefront protocol, or a folder that a person works off."""

    PROTOCOL = "protocol"
    FOLDER = "folder"


class StorefrontPath(Query):
    storefront: Slug


class NewStorefront(Wire):
    """`address` of a storefront that speaks the protocol, as https://HOST; `title` of one that a person works off."""

    name: Slug
    kind: StorefrontKind = StorefrontKind.PROTOCOL
    address: Annotated[str, StringConstraints(max_length=300, pattern=r"^[^\x00-\x20\x7f]*$")] = ""
    title: Annotated[str, StringConstraints(max_length=100, pattern=r"^[^\x00-\x1f\x7f]*$")] = ""


class StorefrontAccount(Wire):
    """`studio` is what the storefront calls the studio; `missing`: what Rampa needs and may not do there, with `said` in words.

    `until`: when the access token ends that is renewed by itself. `simulated` and `note` are the storefront's own words.
    """

    name: str
    title: str
    kind: StorefrontKind
    address: str
    state: AccountState
    said: str
    studio: str
    scopes: list[str]
    missing: list[str]
    platforms: list[str]
    abilities: list[Ability]
    simulated: bool
    note: str
    until: dt.datetime | None
    connected_by: str
    connected_at: dt.datetime | None
    looked_at: dt.datetime | None
    allowed_actions: list[Action]


class StorefrontAccounts(Wire):
    items: list[StorefrontAccount]
    allowed_actions: list[Action]


class Connecting(Wire):
    """`open`: where a person lets Rampa in, in a browser; empty where nobody must."""

    account: StorefrontAccount
    open: str


class ConsentReturn(Wire):
    """What the storefront sent back with the browser."""

    state: Annotated[str, StringConstraints(max_length=200)]
    code: Annotated[str, StringConstraints(max_length=500)] = ""
    error: Annotated[str, StringConstraints(max_length=200)] = ""
    iss: Annotated[str, StringConstraints(max_length=500)] = ""
