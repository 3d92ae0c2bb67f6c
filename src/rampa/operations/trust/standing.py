"""How a title's trust stands: its root, until when each role's word holds, and what people should know long before."""

from __future__ import annotations

import base64
import datetime as dt
from collections.abc import Sequence

from sqlalchemy import select

from rampa.core.errors import NotFound
from rampa.core.placement.channels import Audience
from rampa.core.trust import root as root_format
from rampa.core.trust.root import RootFacts
from rampa.core.trust.start import TrustStart, sign_start
from rampa.core.trust.terms import ONLINE, TERMS, TrustRole, channel_role
from rampa.db import TitleRow, TrustPartRow, TrustRootRow, TrustRow, find_channel, find_title, newest_root
from rampa.operations.base import Act, Actor, Services, UnitOfWork, action, begin
from rampa.operations.titles.titles import manifest_key
from rampa.schema import delivery as delivery_wire
from rampa.schema import trust as wire


def get_trust(services: Services, actor: Actor, slug: str) -> wire.Trust:
    with begin(services, actor) as uow:
        title = find_title(uow.session, slug)
        acts = [action(actor, Act.HOLD_CEREMONY, "publish")]
        row, root = uow.session.get(TrustRow, title.id), newest_root(uow.session, title.id)
        if row is None or root is None:
            return wire.Trust(title=slug, identifier=title.identifier, root=None, allowed_actions=acts)
        facts = root_format.facts_of(root.data)
        roles = _roles(uow, title, facts)
        return wire.Trust(
            title=slug,
            identifier=title.identifier,
            root=_root(root, facts),
            roles=roles,
            alarms=alarms(roles, row),
            trouble=row.trouble,
            published_at=row.published_at,
            allowed_actions=acts,
        )


def standing(uow: UnitOfWork, title: TitleRow, row: TrustRow) -> list[str]:
    """What people should know of it now."""
    root = newest_root(uow.session, title.id)
    return alarms(_roles(uow, title, root_format.facts_of(root.data)), row) if root else []


def alarms(roles: Sequence[wire.RoleStanding], row: TrustRow) -> list[str]:
    said = [row.trouble] if row.trouble else []
    for each in roles:
        if each.alarm:
            said.append(f"{_what(each.role)} holds only until {each.expires_at:%Y-%m-%d %H:%M} UTC. {_mend(each.role)}")
    return said


def _what(role: TrustRole) -> str:
    return "The root" if role == TrustRole.ROOT else f"What {role} signed"


def _mend(role: TrustRole) -> str:
    if role == TrustRole.ROOT:
        return "Its holders sign the next one: `rampa trust ceremony`."
    return "The service should have signed it again: see that its worker runs."


def _roles(uow: UnitOfWork, title: TitleRow, facts: RootFacts) -> list[wire.RoleStanding]:
    found = [_role(TrustRole.ROOT, facts.version, facts.expires_at, uow.now)]
    parts = list(uow.session.scalars(select(TrustPartRow).where(TrustPartRow.title_id == title.id)))
    for role in ONLINE:
        own = [p for p in parts if (p.role == role if role != TrustRole.CHANNELS else p.role.startswith("channel-"))]
        # Of the channels the one that ends first.
        if own:
            first = min(own, key=lambda p: p.expires_at)
            found.append(_role(role, first.version, first.expires_at, uow.now))
    return found


def _role(role: TrustRole, version: int, ends: dt.datetime, now: dt.datetime) -> wire.RoleStanding:
    alarm_at = ends - TERMS[role].alarm
    return wire.RoleStanding(role=role, version=version, expires_at=ends, alarm_at=alarm_at, alarm=alarm_at <= now)


def _root(row: TrustRootRow, facts: RootFacts) -> wire.RootOut:
    return wire.RootOut(
        version=facts.version,
        holders=list(facts.holders),
        threshold=facts.threshold,
        expires_at=facts.expires_at,
        published_at=row.created_at,
        published_by=row.published_by,
    )


def start_of(services: Services, slug: str, name: str) -> delivery_wire.TrustedStart:
    """What a device of the channel begins with. Raises `NotFound` for a title that had no ceremony."""
    with begin(services) as uow:
        channel = find_channel(uow.session, slug, name)
        title = uow.session.get_one(TitleRow, channel.title_id)
        root = newest_root(uow.session, title.id)
        if root is None:
            raise NotFound("trust.none", f"{slug} had no ceremony yet", hint="Begin with: `rampa trust ceremony`.")
        everybody = channel.audience == Audience.FOR_EVERYBODY
        start = TrustStart(title.identifier, name, channel_role(channel.id.hex), root.data, everybody)
        signed = sign_start(start, manifest_key(services, title))
        return delivery_wire.TrustedStart(signed=base64.b64encode(signed).decode())
