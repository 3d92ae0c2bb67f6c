"""The protocol of storefronts, version 1: what a storefront answers and takes. Ours, documented in docs/storefronts.md.

JSON over HTTP below `/storefront/v1`; OAuth 2.0 (RFC 6749, 7009, 7636, 8414), uploads by tus 1.0, notices signed as webhooks are.
"""

from __future__ import annotations

import datetime as dt
from enum import StrEnum
from typing import Annotated

from pydantic import Field, StringConstraints

from rampa.core.studio.verification import DocumentKind, VerificationState
from rampa.core.submission.life import SubmissionState
from rampa.schema.common import Digest, Id, Query, Wire

VERSION = 1
API = "/storefront/v1"
METADATA = "/.well-known/oauth-authorization-server"
READ, SUBMIT, RELEASE = "titles:read", "submissions:write", "releases:write"
SCOPES = (READ, SUBMIT, RELEASE)
"""What an access token may: look, put builds before reviewers, and say who gets what passed."""

Identifier = Annotated[str, StringConstraints(max_length=200, pattern=r"^[A-Za-z0-9]([A-Za-z0-9._-]*[A-Za-z0-9])?$")]
PlatformName = Annotated[str, StringConstraints(max_length=20, pattern=r"^[a-z0-9-]+$")]
Code = Annotated[int, Field(ge=1, le=2**53)]
Share = Annotated[int, Field(ge=0, le=100)]
"""Of the players, in per cent."""
Said = Annotated[str, StringConstraints(min_length=1, max_length=8000, pattern=r"^[^\x00]*$")]
Plain = Annotated[str, StringConstraints(max_length=300, pattern=r"^[^\x00-\x1f\x7f]*$")]


class Going(StrEnum):
    """When what passed goes live."""

    AT_ONCE = "at-once"
    AT = "at-a-moment"
    BY_ACT = "by-an-act"


class Ability(StrEnum):
    """What a storefront can do beyond taking builds; one that is missing is missing there."""

    SHARE = "share"
    HOLD = "hold"
    ROLL_BACK = "roll-back"
    MOMENT = "moment"
    APPEAL = "appeal"
    FIRST_BY_HAND = "first-by-hand"
    """Not a gift: a title's first bundle is handed in by a person."""


class About(Wire):
    """`simulated`: no player outside this machine is reached, and `note` says so."""

    name: str
    title: str
    protocol: int
    simulated: bool
    note: str
    platforms: list[str]
    abilities: list[Ability]
    scopes: list[str]
    rules: int
    """The number of its rules' newest version."""


class AccountAt(Wire):
    """The studio's account there, as the token that asks sees it."""

    studio: str
    verified: bool
    scopes: list[str]
    until: dt.datetime
    ends: dt.datetime | None = None
    """When the account itself ends, unless the studio renews it there; null where it does not end."""


class Offered(Wire):
    """A build that players are offered now."""

    platform: str
    version_code: int
    version_name: str
    sha256: str
    share: int
    held: bool
    submission: str


class TitleIn(Wire):
    name: Annotated[str, StringConstraints(min_length=1, max_length=100)]


class TitleAt(Wire):
    """`first_pending`: its first bundle must be handed in by a person, and was not yet. `highest_codes`: platform -> the highest
    version code that was taken and not lost."""

    identifier: str
    name: str
    first_pending: bool
    hand_in_at: str
    """The page where a person hands it in; empty where nobody must."""
    highest_codes: dict[str, int]
    offered: list[Offered]


class ListingTexts(Wire):
    """In one language."""

    name: str
    short: str
    long: str


class ListingAt(Wire):
    """What the storefront shows of the title. Pictures are digests (SHA-256) of pictures that were sent, by form of device."""

    main: str
    texts: dict[str, ListingTexts]
    category: str
    rating: str
    rated_by: str
    links: dict[str, str]
    licence: str
    icon: Digest | None
    pictures: dict[str, list[Digest]]


class SubmissionIn(Wire):
    """`upload`: the number of a whole upload. `permissions`: name -> the reason that players read. `replaces`: the refused one
    that this mends. `certificate`: SHA-256 of the certificate that signed it, empty for none."""

    identifier: Identifier
    platform: PlatformName
    version_code: Code
    version_name: Plain
    upload: Id
    sha256: Digest
    certificate: str = ""
    listing: ListingAt
    permissions: dict[str, str] = {}
    notes: Annotated[str, StringConstraints(max_length=8000)] = ""
    going: Going = Going.BY_ACT
    at: dt.datetime | None = None
    share: Share = 100
    replaces: Id | None = None


class WordSaid(Wire):
    """What a reviewer or the studio wrote. `about`: the place, such as `permission camera`; `reason` of the storefront's list."""

    at: dt.datetime
    by: str
    text: str
    about: str = ""
    reason: str = ""


class FoundAt(Wire):
    """What the storefront's machines found. `code` is the storefront's own."""

    severity: str
    code: str
    message: str
    where: str


class Happened(Wire):
    at: dt.datetime
    state: SubmissionState
    by: str
    said: str = ""


class SubmissionAt(Wire):
    """A submission as the storefront has it. `ahead`: how many wait before it; null where it does not wait."""

    id: str
    identifier: str
    platform: str
    version_code: int
    version_name: str
    sha256: str
    state: SubmissionState
    there: str
    """The state in the storefront's own words."""
    ahead: int | None
    going: Going
    going_at: dt.datetime | None
    share: int
    held: bool
    words: list[WordSaid]
    findings: list[FoundAt]
    events: list[Happened]
    can: list[str]
    """Acts that it takes now."""


class SubmissionList(Wire):
    items: list[SubmissionAt]


class ActIn(Wire):
    """`answer` and `appeal` take words, `go-live` and `share` a share; `withdraw`, `hold`, `go-on`, `roll-back` nothing."""

    act: Annotated[str, StringConstraints(pattern=r"^(answer|appeal|withdraw|go-live|share|hold|go-on|roll-back)$")]
    text: Annotated[str, StringConstraints(max_length=8000, pattern=r"^[^\x00]*$")] = ""
    share: Share | None = None


class StudioIn(Wire):
    """Who the studio is, handed in to be verified. `documents`: kind -> SHA-256 of a document that was sent."""

    legal_name: Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^[^\x00-\x1f\x7f]+$")]
    postal_address: Annotated[str, StringConstraints(min_length=1, max_length=500, pattern=r"^[^\x00]+$")]
    contact: Annotated[str, StringConstraints(min_length=3, max_length=200, pattern=r"^[^\s@]+@[^\s@]+$")]
    register_number: Plain = ""
    documents: dict[DocumentKind, Digest] = {}


class VerificationAt(Wire):
    """Where the studio's verification is there. `needs`: documents that it asks for; `usual_days` what it says that it takes;
    `until` when it ends, null for one that does not."""

    state: VerificationState
    since: dt.datetime
    needs: list[DocumentKind]
    usual_days: int
    until: dt.datetime | None = None
    words: list[WordSaid] = []


class DocumentPath(Query):
    digest: Digest


class OfferAt(Wire):
    """What a player's device is offered of a title for its platform: a bundle, its bytes and their SHA-256."""

    identifier: Identifier
    platform: PlatformName
    version_name: Plain
    version_code: Code
    sha256: Digest
    size: Annotated[int, Field(ge=1, le=2**50)]


class NoticeTo(Wire):
    """Where notices of a change go; `secret` is the key that signs them."""

    address: Annotated[str, StringConstraints(max_length=500, pattern=r"^https?://[^\s]+$")]


class NoticeKey(Wire):
    secret: str


class SubmissionPath(Query):
    submission: Id


class IdentifierPath(Query):
    identifier: Identifier


class SentPicturePath(Query):
    digest: Digest
