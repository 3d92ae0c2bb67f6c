"""Inviting testers: many at once from a list, with each line's mistake said; sent again, withdrawn, looked through.

The letters go by themselves (rampa.operations.testers.letters): a mail server that is away holds nobody up here.
"""

from __future__ import annotations

import uuid

from sqlalchemy import and_, or_, select
from sqlalchemy.dialects.postgresql import insert

from rampa.core.address import normal
from rampa.core.errors import Invalid, NotFound, Refused
from rampa.core.quantity import counted
from rampa.core.testers.address_list import Addressee, AddressList, read_addresses
from rampa.core.testers.invitation import LIFE, TRANSITIONS, InvitationEvent, InvitationState
from rampa.core.transitions import advance, possible
from rampa.db import (
    GroupMemberRow,
    GroupRow,
    InvitationRow,
    PersonRow,
    find_group,
    find_title,
    good_invitations,
    new_id,
    queue,
)
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin
from rampa.operations.base.pages import cursor_id, page_of
from rampa.operations.base.policy import from_events
from rampa.operations.testers.group_figures import seats_taken
from rampa.operations.testers.groups import must_have_seats
from rampa.schema import testers as wire
from rampa.schema.common import Page

SHOWN = 200
"""People and mistakes that a preview lists."""
AT_ONCE = 1000
"""Rows of one statement."""


def preview(services: Services, actor: Actor, slug: str, name: str, asked: wire.AddressesIn) -> wire.InvitePreview:
    """What inviting these would do; changes nothing."""
    read = read_addresses(asked.addresses)
    with begin(services, actor) as uow:
        return _seen(uow, find_group(uow.session, slug, name), read)[0]


def _seen(uow: UnitOfWork, group: GroupRow, read: AddressList) -> tuple[wire.InvitePreview, list[Addressee]]:
    """What inviting a list would do; and who of it is new."""
    states = _states(uow, group)
    left = max(0, group.seats - seats_taken(uow, group)) if group.seats else 0
    people = [_listed(a, states) for a in read.good]
    invited = [a for a, p in zip(read.good, people, strict=True) if p.state == "new"]
    new = len(invited)
    seen = wire.InvitePreview(
        new=new,
        members=sum(p.state == "member" for p in people),
        invited=sum(p.state == "invited" for p in people),
        wrong=len(read.mistakes),
        people=people[:SHOWN],
        mistakes=[wire.LineMistake(line=m.line, text=m.text, said=m.said) for m in read.mistakes[:SHOWN]],
        seats=group.seats,
        free=left,
        fits=not group.seats or new <= left,
    )
    return seen, invited


def invite(services: Services, actor: Actor, slug: str, name: str, asked: wire.AddressesIn) -> wire.InvitePreview:
    """Invites everybody new of a list; the others stay as they are. Raises `Invalid` with the mistakes of a list that has any,
    unless they are to be left out, and `Refused` where the seats do not suffice: then nobody is invited."""
    _must_have_origin(services)
    read = read_addresses(asked.addresses)
    if read.mistakes and not asked.leave_out_mistakes:
        raise _mistaken(read)
    with begin(services, actor) as uow:
        group = find_group(uow.session, slug, name, lock=True)
        said, new = _seen(uow, group, read)
        must_have_seats(uow, group, len(new))
        for at in range(0, len(new), AT_ONCE):
            _insert(uow, group, new[at : at + AT_ONCE])
        if new:
            # One event for the list, however long it is.
            audit.record(uow, "tester.invite", counted(len(new), "tester"), slug, group=group.name)
            queue.put(uow.session, "send_invitations", queue.MAIL, lock="invitations")
    return said


def _insert(uow: UnitOfWork, group: GroupRow, people: list[Addressee]) -> None:
    """Also in place of those who declined, were withdrawn, or left: as new ones, with a new link."""
    rows = [
        {
            "id": new_id(), "group_id": group.id, "email": a.email, "looked_up": normal(a.email), "name": a.name,
            "state": InvitationState.OPEN, "turn": 1, "expires_at": uow.now + LIFE, "sent_at": None,
            "send_after": None, "tries": 0, "unsent": "", "invited_by": uow.actor.name, "created_at": uow.now,
        }
        for a in people
    ]  # fmt: skip
    made = insert(InvitationRow)
    anew = {n: getattr(made.excluded, n) for n in rows[0] if n not in ("id", "group_id", "looked_up", "turn")}
    again = made.on_conflict_do_update(
        index_elements=["group_id", "looked_up"], set_={**anew, "turn": InvitationRow.turn + 1}
    )
    # The rows beside the statement: a statement that holds a thousand of them takes a second to write.
    uow.session.connection().execute(again, rows)


def list_invitations(
    services: Services, actor: Actor, slug: str, query: wire.InvitationQuery
) -> Page[wire.TesterInvitation]:
    """Newest first."""
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        rows = select(InvitationRow).join(GroupRow).where(GroupRow.title_id == title.id)
        if query.group:
            rows = rows.where(InvitationRow.group_id == find_group(uow.session, slug, query.group).id)
        over = InvitationRow.expires_at <= uow.now
        is_open = InvitationRow.state == InvitationState.OPEN
        if query.state == "expired":
            rows = rows.where(and_(is_open, over))
        elif query.state:
            wanted = InvitationState(query.state)
            rows = rows.where(InvitationRow.state == wanted)
            # One whose link is over is told as expired, and not twice.
            rows = rows.where(~over) if wanted is InvitationState.OPEN else rows
        if query.search:
            said = normal(query.search)
            named = InvitationRow.name.icontains(said, autoescape=True)
            rows = rows.where(or_(InvitationRow.looked_up.contains(said, autoescape=True), named))
        if query.cursor:
            rows = rows.where(InvitationRow.id < cursor_id(query.cursor))
        found = list(uow.session.scalars(rows.order_by(InvitationRow.id.desc()).limit(query.limit + 1)))
        return page_of(Page[wire.TesterInvitation], found, query.limit, lambda r: describe(uow, r), lambda r: str(r.id))


def resend(services: Services, actor: Actor, slug: str, invitation: str) -> wire.TesterInvitation:
    """With a new link; the one before is worth nothing any more."""
    _must_have_origin(services)
    with begin(services, actor) as uow:
        row = _find(uow, slug, invitation)
        held = row.is_good(uow.now)
        row.state = advance(TRANSITIONS, row.state, InvitationEvent.RESEND, f"the invitation of {row.email}")
        if not held:
            must_have_seats(uow, row.group, 1)
        row.turn, row.expires_at = row.turn + 1, uow.now + LIFE
        row.sent_at, row.send_after, row.tries, row.unsent = None, None, 0, ""
        audit.record(uow, "invitation.resend", row.email, slug, group=row.group.name)
        queue.put(uow.session, "send_invitations", queue.MAIL, lock="invitations")
        return describe(uow, row)


def withdraw(services: Services, actor: Actor, slug: str, invitation: str) -> wire.TesterInvitation:
    with begin(services, actor) as uow:
        row = _find(uow, slug, invitation)
        row.state = advance(TRANSITIONS, row.state, InvitationEvent.WITHDRAW, f"the invitation of {row.email}")
        audit.record(uow, "invitation.withdraw", row.email, slug, group=row.group.name)
        return describe(uow, row)


def describe(uow: UnitOfWork, row: InvitationRow) -> wire.TesterInvitation:
    offered = {InvitationEvent.RESEND: Act.MANAGE_TESTERS, InvitationEvent.WITHDRAW: Act.MANAGE_TESTERS}
    return wire.TesterInvitation(
        id=str(row.id),
        email=row.email,
        name=row.name,
        group=row.group.name,
        state=row.state,
        expired=row.state == InvitationState.OPEN and not row.is_good(uow.now),
        expires_at=row.expires_at,
        sent_at=row.sent_at,
        unsent=row.unsent,
        invited_by=row.invited_by,
        created_at=row.created_at,
        allowed_actions=from_events(uow.actor, row.state, possible(TRANSITIONS, row.state), offered),
    )


def _find(uow: UnitOfWork, slug: str, invitation: str) -> InvitationRow:
    """Its group is locked, for the seats."""
    title = find_title(uow.session, slug)
    row = uow.session.get(InvitationRow, uuid.UUID(invitation), with_for_update={"of": InvitationRow})
    if row is None or row.group.title_id != title.id:
        raise NotFound("invitation.unknown", f"{slug} has no such invitation", where="invitation")
    find_group(uow.session, slug, row.group.name, lock=True)
    return row


def _states(uow: UnitOfWork, group: GroupRow) -> dict[str, str]:
    """Address as it is looked up -> member, or invited."""
    good = select(InvitationRow.looked_up).where(InvitationRow.group_id == group.id, good_invitations(uow.now))
    states = dict.fromkeys(uow.session.scalars(good), "invited")
    members = select(PersonRow.email).join(GroupMemberRow, GroupMemberRow.person_id == PersonRow.id)
    there = uow.session.scalars(members.where(GroupMemberRow.group_id == group.id))
    return states | {normal(email): "member" for email in there}


def _listed(person: Addressee, states: dict[str, str]) -> wire.ListedPerson:
    state = states.get(normal(person.email), "new")
    return wire.ListedPerson.model_validate(
        {"line": person.line, "email": person.email, "name": person.name, "state": state}
    )


def _mistaken(read: AddressList) -> Invalid:
    first = read.mistakes[0]
    more = f", and {len(read.mistakes) - 1:,} more lines are" if len(read.mistakes) > 1 else " is"
    said = f"line {first.line}{more} wrong; line {first.line}: {first.said}"
    hint = f"Nobody was invited. Mend them, or leave them out and invite the other {len(read.good):,}."
    return Invalid("addresses.mistakes", said, where=f"line {first.line}", hint=hint)


def _must_have_origin(services: Services) -> None:
    if not services.origin:
        hint = "Whoever runs the service sets RAMPA_ORIGIN to its address, as people open it."
        raise Refused("invitation.nowhere", "a letter could not say where its link leads", hint=hint)
