"""Listings of titles: their states, people's drafts, pictures, links that are looked at, affirmations of the rating."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Collection

from sqlalchemy import ForeignKey, LargeBinary, String, Text, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.core.listing.edits import ListingFiles
from rampa.core.listing.link import LinkState
from rampa.db.base import Base, Coded, Identified, Typed
from rampa.db.people import PersonRow
from rampa.db.titles import TitleRow


class _Files:
    """`texts` are the text files by their paths; `pictures` the SHA-256 of each picture by its path."""

    texts: Mapped[dict[str, str]] = mapped_column(Typed(dict[str, str]))
    pictures: Mapped[dict[str, str]] = mapped_column(Typed(dict[str, str]))

    @property
    def files(self) -> ListingFiles:
        return ListingFiles(self.texts, self.pictures)


class ListingRow(_Files, Identified, Base):
    """One immutable, numbered state of a title's listing."""

    __tablename__ = "listing"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    number: Mapped[int]
    message: Mapped[str] = mapped_column(String(500))
    commit: Mapped[str] = mapped_column(String(64), default="")
    created_by: Mapped[str] = mapped_column(String(200))
    __table_args__ = (UniqueConstraint("title_id", "number"),)


class ListingDraftRow(_Files, Identified, Base):
    """A person's unfinished change of a listing; `base` is the state that it was made from, 0 for none."""

    __tablename__ = "listing_draft"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    base: Mapped[int]
    version: Mapped[int] = mapped_column(default=1)
    saved_at: Mapped[dt.datetime]
    person: Mapped[PersonRow] = relationship(lazy="joined", innerjoin=True)
    __table_args__ = (UniqueConstraint("title_id", "person_id"),)


class ListingPictureRow(Identified, Base):
    """A picture as it was sent, once however many states have it."""

    __tablename__ = "listing_picture"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    digest: Mapped[str] = mapped_column(String(64))
    data: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    size: Mapped[int]
    form: Mapped[str] = mapped_column(String(10))
    width: Mapped[int]
    height: Mapped[int]
    transparent: Mapped[bool]
    __table_args__ = (UniqueConstraint("title_id", "digest"),)


class ListingLinkRow(Identified, Base):
    """An address that a title's listing names, as it was when somebody looked."""

    __tablename__ = "listing_link"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    address: Mapped[str] = mapped_column(String(500))
    state: Mapped[LinkState] = mapped_column(Coded(LinkState))
    said: Mapped[str] = mapped_column(Text)
    looked_at: Mapped[dt.datetime | None]
    failed_since: Mapped[dt.datetime | None]
    __table_args__ = (UniqueConstraint("title_id", "address"),)


class AffirmationRow(Identified, Base):
    """A person's word that the answers of the rating are true. `content`: profile -> what its newest build had then."""

    __tablename__ = "affirmation"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"), index=True)
    person: Mapped[str] = mapped_column(String(200))
    answers: Mapped[bytes] = mapped_column(LargeBinary)
    said: Mapped[dict[str, str]] = mapped_column(Typed(dict[str, str]))
    """The answers themselves, for whoever asks later what was affirmed."""
    content: Mapped[dict[str, str]] = mapped_column(Typed(dict[str, str]))


def newest_listing(session: Session, title: uuid.UUID) -> ListingRow | None:
    rows = select(ListingRow).where(ListingRow.title_id == title)
    return session.scalar(rows.order_by(ListingRow.number.desc()).limit(1))


def find_listing(session: Session, title: TitleRow, number: int) -> ListingRow:
    row = session.scalar(select(ListingRow).where(ListingRow.title_id == title.id, ListingRow.number == number))
    if row is None:
        raise NotFound("listing.unknown", f"the listing of {title.slug} has no state {number}", where="number")
    return row


def listing_pictures(session: Session, title: uuid.UUID, digests: Collection[str]) -> dict[str, ListingPictureRow]:
    """Without their bytes."""
    rows = select(ListingPictureRow).where(
        ListingPictureRow.title_id == title, ListingPictureRow.digest.in_(list(digests))
    )
    return {row.digest: row for row in session.scalars(rows)}


def newest_affirmation(session: Session, title: uuid.UUID) -> AffirmationRow | None:
    rows = select(AffirmationRow).where(AffirmationRow.title_id == title)
    return session.scalar(rows.order_by(AffirmationRow.id.desc()).limit(1))
