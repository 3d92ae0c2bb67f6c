"""Who the studio is, its documents, and its verification by whoever brings titles to players."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from pydantic import StringConstraints

from rampa.core.studio.verification import DocumentKind, VerificationState
from rampa.schema.common import Action, Query, Slug, Wire
from rampa.schema.storefronts import WordSaid

Line = Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00-\x1f\x7f]*$")]
Lines = Annotated[str, StringConstraints(max_length=500, pattern=r"^[^\x00]*$")]
Mail = Annotated[str, StringConstraints(max_length=200, pattern=r"^([^\s@]+@[^\s@]+)?$")]


class StudioFacts(Wire):
    """As a register of companies has it; empty for what nobody said yet."""

    legal_name: Line = ""
    postal_address: Lines = ""
    contact: Mail = ""
    register_number: Line = ""


class StudioDocumentOut(Wire):
    """`name` is the file's; `sha256` of its content."""

    kind: DocumentKind
    name: str
    media: str
    size: int
    sha256: str
    added_by: str
    added_at: dt.datetime


class KindOfDocument(Wire):
    kind: DocumentKind
    words: str


class VerifiedAt(Wire):
    """The studio's verification by one `verifier`: a storefront by its name, or `rampa` for Rampa's own lines.

    `days`: whole days since it came to its state; `usual_days`: what the verifier says that it takes. `missing`: documents that
    it asks for and that are not there; `lacking`: what else must be said first, in words.
    """

    verifier: str
    title: str
    state: VerificationState
    state_words: str
    since: dt.datetime
    days: int
    usual_days: int
    needs: list[DocumentKind]
    missing: list[DocumentKind]
    lacking: list[str]
    words: list[WordSaid]
    until: dt.datetime | None
    looked_at: dt.datetime | None
    allowed_actions: list[Action]


class StudioOut(Wire):
    """`verified`: whether builds may go to everybody on Rampa's own lines; a storefront's lines go by that storefront's word."""

    name: str
    verified: bool
    facts: StudioFacts
    documents: list[StudioDocumentOut]
    kinds: list[KindOfDocument]
    verifications: list[VerifiedAt]
    allowed_actions: list[Action]


class VerifierPath(Query):
    verifier: Slug


class DocumentKindPath(Query):
    kind: DocumentKind


class DocumentName(Query):
    """`name` of the file, as people see it."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=200, pattern=r"^[^\x00-\x1f\x7f/\\]+$")]


class VerdictIn(Wire):
    """`verify`, or `ask` and `refuse` with words."""

    verdict: Annotated[str, StringConstraints(pattern=r"^(verify|ask|refuse|end)$")]
    text: Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")] = ""
