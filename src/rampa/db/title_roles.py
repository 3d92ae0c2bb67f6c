"""Roles of people at single titles: more or less than they have in the studio."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import ForeignKey, String, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from rampa.db.base import Base
from rampa.db.people import PersonRow
from rampa.db.titles import TitleRow
from rampa.schema.common import Role

CHANGED_AT_TITLES = (Role.VIEWER, Role.ENGINEER)
"""Whose role a title may change: an owner stays one everywhere, and testers and reviewers read nothing of the studio."""


class TitleRoleRow(Base):
    __tablename__ = "title_role"
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    title_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("title.id", ondelete="CASCADE"), primary_key=True)
    role: Mapped[str] = mapped_column(String(20))
    given_by: Mapped[str] = mapped_column(String(200))
    at: Mapped[dt.datetime]


def role_at(session: Session, person: PersonRow, slug: str) -> Role:
    """What a person is at one title; in the studio, where the title says nothing of them."""
    role = Role(person.role)
    if not slug or role not in CHANGED_AT_TITLES:
        return role
    rows = select(TitleRoleRow.role).join(TitleRow, TitleRow.id == TitleRoleRow.title_id)
    found = session.scalar(rows.where(TitleRoleRow.person_id == person.id, TitleRow.slug == slug))
    return Role(found) if found else role


def roles_at(session: Session, title: uuid.UUID) -> dict[uuid.UUID, Role]:
    """Everybody who is not disabled, by what they are at the title."""
    here = (TitleRoleRow.person_id == PersonRow.id) & (TitleRoleRow.title_id == title)
    rows = select(PersonRow.id, PersonRow.role, TitleRoleRow.role).outerjoin(TitleRoleRow, here)
    found = session.execute(rows.where(PersonRow.disabled_at.is_(None)))
    return {
        person: Role(at if at and role in CHANGED_AT_TITLES else role)
        for person, role, at in ((p, Role(r), a) for p, r, a in found)
    }


def roles_of(session: Session, person: uuid.UUID) -> dict[str, Role]:
    """One person's own roles at titles, by the titles' names in addresses."""
    rows = select(TitleRow.slug, TitleRoleRow.role).join(TitleRow, TitleRow.id == TitleRoleRow.title_id)
    found = session.execute(rows.where(TitleRoleRow.person_id == person).order_by(TitleRow.slug))
    return {slug: Role(role) for slug, role in found}
