"""What of the studio ends when, gathered where it lies: certificates, accounts, ratings, agreements, grants, tokens, roots."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Iterator

from sqlalchemy import func, select

from rampa.core.calendar import RATING_HOLDS, Ending, EndingKind, in_order
from rampa.core.trust import root as root_format
from rampa.db import (
    AffirmationRow,
    AgreementRow,
    GrantRow,
    PersonRow,
    SigningIdentityRow,
    StorefrontRow,
    TitleRow,
    TokenRow,
    TrustRow,
    newest_root,
)
from rampa.operations.base import UnitOfWork

LONG = dt.timedelta(days=3)
"""Tokens that live shorter are renewed by who uses them, and are nobody's concern."""
OVER = dt.timedelta(days=30)
"""So long what is over stays in the list."""


def endings(uow: UnitOfWork, person: uuid.UUID | None, *, everybodys: bool) -> list[Ending]:
    """Of the studio, with the tokens of one person, or with everybody's. What ended long ago is left out."""
    found = [
        *_certificates(uow),
        *_accounts(uow),
        *_verifications(uow),
        *_ratings(uow),
        *_agreements(uow),
        *_grants(uow),
        *_tokens(uow, person, everybodys=everybodys),
        *_roots(uow),
    ]
    return in_order(e for e in found if e.ends > uow.now - OVER)


def _certificates(uow: UnitOfWork) -> Iterator[Ending]:
    for row in uow.session.scalars(select(SigningIdentityRow)):
        mend = "rampa key hand-over"
        yield Ending(f"certificate {row.id}", EndingKind.CERTIFICATE, row.name, row.not_after, mend)


def _accounts(uow: UnitOfWork) -> Iterator[Ending]:
    for row in uow.session.scalars(select(StorefrontRow).where(StorefrontRow.ends_at.isnot(None))):
        assert row.ends_at is not None
        mend = f"on {row.title}'s own pages, then rampa storefront look {row.name}"
        yield Ending(f"account {row.id}", EndingKind.ACCOUNT, row.title, row.ends_at, mend)


def _verifications(uow: UnitOfWork) -> Iterator[Ending]:
    for row in uow.session.scalars(select(StorefrontRow).where(StorefrontRow.verification.is_not(None))):
        if row.verification is not None and row.verification.until is not None:
            mend = f"rampa studio hand-in {row.name}"
            key = f"verification {row.id}"
            yield Ending(key, EndingKind.VERIFICATION, row.title, row.verification.until, mend)


def _ratings(uow: UnitOfWork) -> Iterator[Ending]:
    newest = select(AffirmationRow.title_id, func.max(AffirmationRow.created_at)).group_by(AffirmationRow.title_id)
    for title_id, at in uow.session.execute(newest):
        title = uow.session.get_one(TitleRow, title_id)
        mend = f"rampa rating affirm --title {title.slug}"
        yield Ending(f"rating {title_id}", EndingKind.RATING, title.name, at + RATING_HOLDS, mend, title.slug)


def _agreements(uow: UnitOfWork) -> Iterator[Ending]:
    for row in uow.session.scalars(select(AgreementRow)):
        name = f"{row.name} with {row.partner}"
        yield Ending(f"agreement {row.id}", EndingKind.AGREEMENT, name, row.ends_at, "rampa calendar agree")


def _grants(uow: UnitOfWork) -> Iterator[Ending]:
    """The newest of each title, identifier and purpose: the ones before it are replaced."""
    of = (GrantRow.title_id, GrantRow.identifier, GrantRow.purpose)
    newest = select(func.max(GrantRow.number), *of).group_by(*of)
    for number, title_id, identifier, purpose in uow.session.execute(newest):
        rows = select(GrantRow).where(GrantRow.title_id == title_id, GrantRow.number == number)
        row = uow.session.scalars(rows).one()
        name, mend = f"grant {number} for {identifier}, {purpose}", "rampa grant make"
        yield Ending(f"grant {row.id}", EndingKind.GRANT, name, row.expires_at, mend, row.title.slug)


def _tokens(uow: UnitOfWork, person: uuid.UUID | None, *, everybodys: bool) -> Iterator[Ending]:
    rows = select(TokenRow).join(PersonRow, PersonRow.id == TokenRow.person_id).where(PersonRow.disabled_at.is_(None))
    if not everybodys:
        rows = rows.where(TokenRow.person_id == person)
    for row in uow.session.scalars(rows):
        if row.expires_at - row.created_at > LONG:
            name = f"{row.name} of {row.person.name}"
            yield Ending(
                f"token {row.id}", EndingKind.TOKEN, name, row.expires_at, "rampa sign-in", person=row.person.name
            )


def _roots(uow: UnitOfWork) -> Iterator[Ending]:
    for row in uow.session.scalars(select(TrustRow)):
        title, root = uow.session.get_one(TitleRow, row.title_id), newest_root(uow.session, row.title_id)
        if root is not None:
            ends, mend = root_format.facts_of(root.data).expires_at, f"rampa trust ceremony --title {title.slug}"
            yield Ending(f"root {title.id}", EndingKind.TRUST, title.name, ends, mend, title.slug)
