"""Whom the studio's own provider vouches for: they come by themselves, with the role that their groups give."""

from __future__ import annotations

from sqlalchemy import select

from rampa.core.errors import Denied
from rampa.db import PersonRow, queue, with_address
from rampa.operations.base import Provider, Services, UnitOfWork, audit, begin
from rampa.operations.people.membership import must_leave_an_owner
from rampa.operations.people.people import SOMEBODY, access_topic, actor_of
from rampa.operations.people.provider import Vouched, claims_of, must_have_provider
from rampa.operations.people.ranks import RANK
from rampa.operations.people.sessions import open_session
from rampa.schema import people as wire
from rampa.schema import sign_in
from rampa.schema.common import Role


def sign_in_by_provider(services: Services, asked: sign_in.ProviderReturn, cookie: str) -> tuple[wire.Session, str]:
    """The session and its cookie's secret. Raises `Denied`."""
    vouched = claims_of(services, asked, cookie)
    provider = must_have_provider(services)
    role = role_of(provider, vouched.groups)
    if role is None:
        _refused(services, vouched, "no group of theirs has a role")
        hint = "Ask the studio's owner which group it takes."
        raise Denied("provider.no-role", "you are in no group that may use this studio", hint=hint)
    with begin(services) as uow:
        person, obstacle = _whom(uow, vouched, role)
        if person is not None:
            _give_role(uow, person, role)
            person.provider_subject, person.provider_seen_at = vouched.subject, uow.now
    if person is None:
        _refused(services, vouched, obstacle)
        raise Denied("provider.taken", obstacle, hint="An owner hands an account over: rampa person provider ADDRESS.")
    return open_session(services, person, confirmed=False)


def role_of(provider: Provider, groups: frozenset[str]) -> Role | None:
    """The highest that a group gives."""
    given = [role for group, role in provider.roles.items() if group in groups]
    return max(given, key=RANK.index, default=None)


def _whom(uow: UnitOfWork, vouched: Vouched, role: Role) -> tuple[PersonRow | None, str]:
    """Who came before as the same subject; else who has the address and was handed over; else somebody new."""
    row = uow.session.scalar(select(PersonRow).where(PersonRow.provider_subject == vouched.subject).with_for_update())
    if row is None:
        row = uow.session.scalar(with_address(vouched.email).with_for_update())
        # An address changes hands; who signs in by a password, or as another subject, is not taken over by it.
        if row is not None and (not row.by_provider or row.provider_subject is not None):
            return None, "this address is somebody's who signs in otherwise"
    if row is not None:
        return (None, "this account is disabled") if row.disabled_at is not None else (row, "")
    row = PersonRow(
        name=vouched.name,
        email=vouched.email,
        role=role,
        password_hash="",
        by_provider=True,
        created_at=uow.now,
    )
    uow.session.add(row)
    uow.session.flush()
    audit.record(uow.by(actor_of(row)), "person.come", row.email, role=role)
    return row, ""


def _give_role(uow: UnitOfWork, person: PersonRow, role: Role) -> None:
    if person.role == role:
        return
    must_leave_an_owner(uow, person)
    person.role = role
    queue.tell(uow.session, access_topic(person.id))
    audit.record(uow.by(actor_of(person)), "person.role", person.email, role=role)


def _refused(services: Services, vouched: Vouched, why: str) -> None:
    with begin(services, SOMEBODY) as uow:
        audit.record(uow, "provider.refuse", vouched.email[:200], why=why)
