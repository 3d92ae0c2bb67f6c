"""How many are in a group, and how many are invited."""

from __future__ import annotations

import uuid

from sqlalchemy import func, select

from rampa.db import GroupMemberRow, GroupRow, InvitationRow, good_invitations
from rampa.operations.base import UnitOfWork


def member_counts(uow: UnitOfWork, title: uuid.UUID) -> dict[uuid.UUID, int]:
    rows = (
        select(GroupMemberRow.group_id, func.count())
        .join(GroupRow, GroupRow.id == GroupMemberRow.group_id)
        .where(GroupRow.title_id == title)
        .group_by(GroupMemberRow.group_id)
    )
    return {group: count for group, count in uow.session.execute(rows)}


def invited_counts(uow: UnitOfWork, title: uuid.UUID) -> dict[uuid.UUID, int]:
    """Open ones whose link is not over: they hold a seat."""
    rows = (
        select(InvitationRow.group_id, func.count())
        .join(GroupRow, GroupRow.id == InvitationRow.group_id)
        .where(GroupRow.title_id == title, good_invitations(uow.now))
        .group_by(InvitationRow.group_id)
    )
    return {group: count for group, count in uow.session.execute(rows)}


def seats_taken(uow: UnitOfWork, group: GroupRow) -> int:
    return member_counts(uow, group.title_id).get(group.id, 0) + invited_counts(uow, group.title_id).get(group.id, 0)
