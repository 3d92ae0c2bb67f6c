"""Titles, pictures and what players are offered, as the protocol has them."""

from __future__ import annotations

import datetime as dt
import hashlib

from flask import request
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from rampa.core.errors import Invalid, NotFound
from rampa.core.listing.layout import LARGEST_PICTURE
from rampa.core.submission.life import SubmissionState
from rampa.schema import storefronts as wire
from rampa.standin.storefront.moves import shown
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import StorePictureRow, StoreSubmissionRow, StoreTitleRow

MEDIA = {b"\x89PNG": "image/png", b"\xff\xd8\xff": "image/jpeg"}


def find_title(session: Session, identifier: str, *, lock: bool = False) -> StoreTitleRow:
    row = session.get(StoreTitleRow, identifier, with_for_update=lock)
    if row is None:
        hint = "Register it first."
        raise NotFound("storefront.title", f"the studio has no title {identifier} here", where="identifier", hint=hint)
    return row


def put_title(shop: Shop, identifier: str, asked: wire.TitleIn) -> wire.TitleAt:
    """Registered once; again it takes the new name."""
    by_hand = wire.Ability.FIRST_BY_HAND in shop.character.abilities
    with shop.begin() as session:
        row = session.get(StoreTitleRow, identifier)
        if row is None:
            row = StoreTitleRow(identifier=identifier, name=asked.name, first_pending=by_hand, certificate="")
            session.add(row)
        row.name = asked.name
        session.flush()
        return describe(session, row)


def account_ends(shop: Shop) -> dt.datetime:
    """A year from when it was first asked for: made up, as all of it."""
    with shop.begin() as session:
        said = shop.get(session, "account")
        if not said:
            said = {"ends": (shop.now() + dt.timedelta(days=365)).isoformat()}
            shop.set(session, "account", said)
        return dt.datetime.fromisoformat(said["ends"])


def get_title(shop: Shop, identifier: str) -> wire.TitleAt:
    with shop.begin() as session:
        return describe(session, find_title(session, identifier))


def describe(session: Session, row: StoreTitleRow) -> wire.TitleAt:
    at = f"{request.host_url}studio/hand-in/{row.identifier}" if row.first_pending else ""
    return wire.TitleAt(
        identifier=row.identifier,
        name=row.name,
        first_pending=row.first_pending,
        hand_in_at=at,
        highest_codes=highest_codes(session, row.identifier),
        offered=[_offered(s) for s in shown(session, row.identifier)],
    )


def highest_codes(session: Session, identifier: str) -> dict[str, int]:
    """By platform. What was lost may come once more under its code."""
    codes = select(StoreSubmissionRow.platform, func.max(StoreSubmissionRow.version_code)).where(
        StoreSubmissionRow.identifier == identifier, StoreSubmissionRow.state != SubmissionState.LOST.value
    )
    return {platform: code for platform, code in session.execute(codes.group_by(StoreSubmissionRow.platform))}


def put_picture(shop: Shop, digest: str, data: bytes) -> None:
    """A picture by its digest; sent twice it is kept once."""
    if len(data) > LARGEST_PICTURE:
        raise Invalid("picture.large", f"at most {LARGEST_PICTURE:,} bytes are taken")
    media = next((media for head, media in MEDIA.items() if data.startswith(head)), "")
    if not media:
        raise Invalid("picture.form", "PNG and JPEG are taken")
    if hashlib.sha256(data).hexdigest() != digest:
        raise Invalid("picture.digest", "the picture is not what its address says")
    with shop.begin() as session:
        if session.get(StorePictureRow, digest) is None:
            session.add(StorePictureRow(digest=digest, media=media, data=data))


def get_picture(shop: Shop, digest: str) -> tuple[bytes, str]:
    with shop.begin() as session:
        row = session.get(StorePictureRow, digest)
        if row is None:
            raise NotFound("storefront.picture", "there is no such picture here")
        return row.data, row.media


def _offered(row: StoreSubmissionRow) -> wire.Offered:
    return wire.Offered(
        platform=row.platform,
        version_code=row.version_code,
        version_name=row.asked["version_name"],
        sha256=row.asked["sha256"],
        share=row.share,
        held=row.held,
        submission=row.id,
    )
