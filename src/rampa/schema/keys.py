"""Signing identities."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import StringConstraints

from rampa.schema.common import Query, Slug, Wire


class KeyPath(Query):
    name: Slug


class NewKey(Wire):
    """A PKCS#12 file in base64 and its password. Both are used once; what is kept is sealed with the master key."""

    name: Slug
    pkcs12: Annotated[str, StringConstraints(max_length=100_000, pattern=r"^[A-Za-z0-9+/=]+$")]
    password: Annotated[str, StringConstraints(min_length=8, max_length=200, pattern=r"^[^\x00]*$")]


class Key(Wire):
    """A signing identity. `fingerprint` is the SHA-256 of its certificate."""

    name: str
    kind: str
    subject: str
    fingerprint: str
    certificate: str
    not_after: dt.datetime
    created_at: dt.datetime
    created_by: str
    used: int
