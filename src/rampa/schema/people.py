"""People, sessions and tokens."""

from __future__ import annotations

import datetime as dt
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.schema.common import Id, Query, Role, Wire, Words

Email = Annotated[str, StringConstraints(max_length=200, pattern=r"^[^@\x00-\x20\x7f]+@[^@\x00-\x20\x7f]+$")]
Password = Annotated[str, StringConstraints(min_length=10, max_length=200, pattern=r"^[^\x00]*$")]


class FactorKind(StrEnum):
    CODES = "codes"
    PASSKEY = "passkey"


class SignIn(Wire):
    email: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00]*$")]
    password: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00]*$")]
    code: Annotated[str, StringConstraints(max_length=40, pattern=r"^[A-Za-z0-9 -]*$")] = ""
    """Of the second factor, for who has one."""


class CodeIn(Wire):
    """A code of your app as it is shown now, or a spare one."""

    code: Annotated[str, StringConstraints(min_length=6, max_length=40, pattern=r"^[A-Za-z0-9 -]+$")]


class FactorIn(Wire):
    password: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00]*$")]


class NewFactor(Wire):
    """What an app needs to show codes: the secret (base32), or its `address` (otpauth), also as a picture (SVG, a QR code)."""

    secret: str
    address: str
    picture: str


class SpareCodes(Wire):
    """Each is good once, in place of a code; they are shown this once."""

    codes: list[str]


class Person(Wire):
    id: str
    name: str
    email: str
    role: Role
    disabled: bool = False
    invited: bool = False
    """They have not chosen a password yet."""
    second_factor: bool = False
    by_provider: bool = False
    """The studio's own sign-in vouches for them; their role is what its groups say."""
    created_at: dt.datetime


class InviteIn(Wire):
    name: Words
    email: Email
    role: Role


class Invitation(Wire):
    """`code` lets the person choose a password, once; it is shown this once."""

    email: str
    code: str
    expires_at: dt.datetime


class AcceptIn(Wire):
    email: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00]*$")]
    code: Annotated[str, StringConstraints(max_length=60, pattern=r"^[A-Za-z2-7 -]+$")]
    password: Password


class PersonChange(Wire):
    """What is to change; the rest stays. `by_provider` ends their password: the studio's own sign-in vouches for them."""

    role: Role | None = None
    disabled: bool | None = None
    by_provider: Literal[True] | None = None


class PasswordChange(Wire):
    current: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00]*$")]
    new: Password


class NewPerson(Wire):
    name: Words
    email: Email
    role: Role
    password: Password


class Session(Wire):
    """Who is signed in. Changes made with the cookie must carry `csrf_token` in X-CSRF-Token."""

    person: Person
    studio: str
    studio_verified: bool
    csrf_token: str
    factors: list[FactorKind] = []
    """What the second factor can be, for this person."""
    titles: dict[str, Role] = {}
    """What they are at titles that say something else than the studio."""


class NewToken(Wire):
    """A bearer token. `role` is at most the maker's own; `days` until it expires."""

    name: Words
    role: Role | None = None
    days: Annotated[int, Field(ge=1, le=366)] = 90


class Token(Wire):
    id: str
    name: str
    role: Role
    created_at: dt.datetime
    expires_at: dt.datetime
    last_used_at: dt.datetime | None = None


class MadeToken(Token):
    """A new token; `secret` is shown this once and never again."""

    secret: str


class PeopleQuery(Query):
    """`testers`: those, too, who are here to test alone; each title lists its own."""

    testers: bool = False


class PersonPath(Query):
    person: Id


class TokenPath(Query):
    token_id: Id
