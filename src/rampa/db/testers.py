"""Who tests: groups of a title, their members, invitations, and access to channels."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import CheckConstraint, ColumnElement, ForeignKey, Index, String, UniqueConstraint, and_, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from rampa.core.errors import NotFound
from rampa.core.testers.invitation import InvitationState
from rampa.db.base import Base, Coded, Identified, first_of
from rampa.db.channels import ChannelRow
from rampa.db.people import PersonRow
from rampa.db.titles import TitleRow, find_title


class GroupRow(Identified, Base):
    """Testers of a title that are given access together."""

    __tablename__ = "tester_group"
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id"))
    name: Mapped[str] = mapped_column(String(60))
    seats: Mapped[int] = mapped_column(default=0)
    """The most people, invited ones among them; 0: no limit."""
    title: Mapped[TitleRow] = relationship(lazy="joined", innerjoin=True)
    __table_args__ = (UniqueConstraint("title_id", "name"),)


class GroupMemberRow(Base):
    __tablename__ = "group_member"
    group_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("tester_group.id", ondelete="CASCADE"), primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"), primary_key=True, index=True)
    since: Mapped[dt.datetime]


class InvitationRow(Identified, Base):
    """To a group, by mail. The link's code is worked out from the key of the service: it rests nowhere."""

    __tablename__ = "invitation"
    group_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("tester_group.id", ondelete="CASCADE"))
    email: Mapped[str] = mapped_column(String(200))
    looked_up: Mapped[str] = mapped_column(String(400))
    """The address as it is compared."""
    name: Mapped[str] = mapped_column(String(100), default="")
    state: Mapped[InvitationState] = mapped_column(Coded(InvitationState))
    turn: Mapped[int] = mapped_column(default=1)
    """How often it was made out: an earlier link is worth nothing."""
    expires_at: Mapped[dt.datetime]
    sent_at: Mapped[dt.datetime | None]
    """When its letter went; None: it waits."""
    send_after: Mapped[dt.datetime | None]
    """When the letter is tried next, where it could not be sent."""
    tries: Mapped[int] = mapped_column(default=0)
    unsent: Mapped[str] = mapped_column(String(200), default="")
    """Why the letter did not go."""
    invited_by: Mapped[str] = mapped_column(String(200))
    group: Mapped[GroupRow] = relationship(lazy="joined", innerjoin=True)
    __table_args__ = (
        UniqueConstraint("group_id", "looked_up"),
        Index("ix_invitation_unsent", "state", "sent_at", "send_after"),
    )

    def is_good(self, now: dt.datetime) -> bool:
        """Open, and its link is not over: it holds a seat."""
        return self.state == InvitationState.OPEN and self.expires_at > now


def good_invitations(now: dt.datetime) -> ColumnElement[bool]:
    """`InvitationRow.is_good`, of all rows."""
    return and_(InvitationRow.state == InvitationState.OPEN, InvitationRow.expires_at > now)


class ChannelAccessRow(Identified, Base):
    """A group or a person may install from a channel by invitation, until a moment where one is set."""

    __tablename__ = "channel_access"
    channel_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("channel.id"))
    group_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("tester_group.id", ondelete="CASCADE"), index=True)
    person_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("person.id"), index=True)
    until: Mapped[dt.datetime | None]
    given_by: Mapped[str] = mapped_column(String(200))
    channel: Mapped[ChannelRow] = relationship(lazy="joined", innerjoin=True)
    group: Mapped[GroupRow | None] = relationship(lazy="joined")
    person: Mapped[PersonRow | None] = relationship(lazy="joined")
    __table_args__ = (
        CheckConstraint("(group_id is null) <> (person_id is null)", name="one"),
        UniqueConstraint("channel_id", "group_id"),
        UniqueConstraint("channel_id", "person_id"),
    )

    def ended(self, now: dt.datetime) -> bool:
        return self.until is not None and self.until <= now


def find_group(session: Session, slug: str, name: str, *, lock: bool = False) -> GroupRow:
    title = find_title(session, slug)
    rows = select(GroupRow).where(GroupRow.title_id == title.id, GroupRow.name == name)
    group = first_of(session, rows, lock=lock)
    if group is None:
        there = select(GroupRow.name).where(GroupRow.title_id == title.id).order_by(GroupRow.name)
        known = ", ".join(session.scalars(there)) or "none yet"
        raise NotFound("group.unknown", f"{slug} has no group {name!r}", where="group", hint=f"It has: {known}.")
    return group
