"""Signing identities. No answer holds a key but an export, which is under the asker's password."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.schema.common import Query, Slug, SlugOrNone, Wire

Encoded = Annotated[str, StringConstraints(max_length=6_000_000, pattern=r"^[A-Za-z0-9+/=]*$")]
Secret = Annotated[str, StringConstraints(max_length=1000, pattern=r"^[^\x00]*$")]


class KeyPath(Query):
    name: Slug


class NewKey(Wire):
    """A PKCS#12 file, or a PKCS#8 key with its certificate, in base64, and its password. Used once; what is kept is sealed.

    `alias` chooses among several keys. With a `passphrase` the identity is locked until somebody unlocks it.
    """

    name: Slug
    pkcs12: Encoded = ""
    pkcs8: Encoded = ""
    certificate: Encoded = ""
    password: Secret = ""
    alias: Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00]*$")] = ""
    passphrase: Secret = ""
    origin: Literal["made", "imported"] = "imported"


class ConnectKey(Wire):
    """A key that the service's key module holds under `label`; `certificate` (PEM) where the module has none beside it."""

    name: Slug
    label: Annotated[str, StringConstraints(min_length=1, max_length=100, pattern=r"^[^\x00-\x1f\x7f]+$")]
    certificate: Annotated[str, StringConstraints(max_length=20_000, pattern=r"^[^\x00]*$")] = ""


class BindingOut(Wire):
    """A storefront (or platform) that knows an identifier by this certificate."""

    identifier: str
    place: str
    build: str
    since: dt.datetime


Names = Annotated[
    list[Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^[^\x00-\x1f]+$")]],
    Field(max_length=50),
]


class KeyPolicyWire(Wire):
    """What an identity may sign; empty lists allow all. `branches` are patterns, those of tags begin with `tag/`. `approvals`: of
    so many people beside the one who started the run, for releases. `per_day`: uses in 24 hours; 0 is any number."""

    titles: Names = []
    identifiers: Names = []
    purposes: Names = []
    branches: Names = []
    approvals: Annotated[int, Field(ge=0, le=9)] = 0
    per_day: Annotated[int, Field(ge=0, le=100_000)] = 0


class Key(Wire):
    """A signing identity. `fingerprint` is the SHA-256 of its certificate; `succession` those of the ones before it, and its own.

    `protected`: it has a passphrase, and signs while `unlocked_until` lasts or for `unlocked_runs`. `outside`: the label of its
    key in the key module, which alone has it; empty where the service keeps it.
    """

    name: str
    kind: str
    subject: str
    fingerprint: str
    certificate: str
    not_before: dt.datetime | None
    not_after: dt.datetime
    created_at: dt.datetime
    created_by: str
    origin: str
    outside: str = ""
    used: int
    last_used_at: dt.datetime | None
    protected: bool
    unlocked_until: dt.datetime | None
    unlocked_runs: list[int]
    exported_at: dt.datetime | None
    backed_at: dt.datetime | None
    backed_by: str
    succession: list[str]
    predecessor: str
    bound_to: list[BindingOut]
    titles: list[str]
    warnings: list[str]
    policy: KeyPolicyWire


class KeyUse(Wire):
    at: dt.datetime
    who: str
    act: str
    title: str
    detail: dict[str, str]


class KeyUses(Wire):
    """Newest first."""

    items: list[KeyUse]


class UnlockIn(Wire):
    """For `minutes`, or for one run of a title."""

    passphrase: Secret
    minutes: Annotated[int, Field(ge=1, le=24 * 60)] = 60
    title: SlugOrNone = ""
    run: Annotated[int, Field(ge=0, le=2**31 - 1)] = 0


class ExportIn(Wire):
    password: Annotated[str, StringConstraints(min_length=8, max_length=200, pattern=r"^[^\x00]*$")]


class Export(Wire):
    name: str
    pkcs12: str
    fingerprint: str


class Probe(Wire):
    probe: str


class DrillIn(Wire):
    """A detached CMS signature over the probe, in base64."""

    signature: Annotated[
        str,
        StringConstraints(
            min_length=4,
            max_length=100_000,
            pattern=r"^(?:[A-Za-z0-9+/]{4})+(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$",
        ),
    ]


class HandOverIn(Wire):
    successor: Slug


class Rewrapped(Wire):
    """Secrets that the first master key wraps now, and those that it did before."""

    wrapped: int
    unchanged: int
    keys: int
