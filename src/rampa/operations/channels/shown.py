"""Lines that a storefront delivers: the channel shows what the storefront says that players are offered, and acts are passed on.

A line of a reviewed channel is a storefront's once an account there is connected: then builds come onto it as submissions, and
Rampa's own offers say nothing of them.
"""

from __future__ import annotations

import uuid
from collections.abc import Sequence

from sqlalchemy import select

from rampa.core.errors import Conflict, Refused
from rampa.core.placement.life import LIVE, PlacementEvent, PlacementState
from rampa.core.placement.share import ALL
from rampa.core.submission.account import USABLE
from rampa.core.submission.life import ON_SHOW, SubmissionState
from rampa.db import ChannelRow, PlacementRow, StorefrontRow, SubmissionRow, TitleRow, locked, queue
from rampa.operations.base import Actor, Services, UnitOfWork, begin, service_actor
from rampa.operations.channels import lines
from rampa.operations.channels.obstacles import line_of_build
from rampa.operations.signing.continuity import bind
from rampa.operations.storefronts.connection import storefront_of
from rampa.operations.storefronts.seen import keep_seen
from rampa.schema.storefronts import Ability, About, ActIn
from rampa.storefronts.port import StorefrontPort

NEEDS = {
    "share": Ability.SHARE,
    "hold": Ability.HOLD,
    "go-on": Ability.HOLD,
    "roll-back": Ability.ROLL_BACK,
}
CANNOT = {
    Ability.SHARE: "gives a build to all players or to none",
    Ability.HOLD: "cannot hold what it shows",
    Ability.ROLL_BACK: "takes nothing back: submit a build with a higher version code",
}
WHO = "the storefront"


def reviewed_channel(uow: UnitOfWork, title: TitleRow) -> ChannelRow | None:
    """Where storefronts stand for the title's lines."""
    rows = select(ChannelRow).where(ChannelRow.title_id == title.id, ChannelRow.reviewed)
    return uow.session.scalar(rows.order_by(ChannelRow.position).limit(1))


def follow_shown(uow: UnitOfWork, row: SubmissionRow, why: str = "") -> None:
    """Brings the submission's placement to what the storefront shows. The submission is locked by the caller."""
    placement = _placement(uow, row)
    on_show, seen = row.state in ON_SHOW, row.seen
    if not on_show or seen is None:
        if placement is not None and row.state in (SubmissionState.WITHDRAWN, SubmissionState.LOST):
            lines.change(uow, placement, PlacementEvent.WITHDRAW, f"by {row.storefront}")
        return
    if placement is None:
        placement = _put(uow, row)
    if placement is None:
        return
    share = ALL if row.state is SubmissionState.LIVE else max(1, seen.share * ALL // 100)
    if placement.state is PlacementState.HELD and not seen.held:
        lines.change(uow, placement, PlacementEvent.GO_ON)
        placement.held_at, placement.held_why = None, ""
    if share > placement.share and placement.state is not PlacementState.HELD:
        lines.grow(uow, placement, share)
    if seen.held and placement.state is PlacementState.GROWING:
        placement.held_at, placement.held_why = uow.now, why or f"held at {row.storefront}"
        lines.change(uow, placement, PlacementEvent.HOLD, placement.held_why)


def _put(uow: UnitOfWork, row: SubmissionRow) -> PlacementRow | None:
    channel = reviewed_channel(uow, row.title)
    if channel is None:
        return None
    list(locked(uow.session, select(ChannelRow).where(ChannelRow.id == channel.id)))
    rows = select(PlacementRow.id).where(PlacementRow.submission_id == row.id)
    back = uow.session.scalar(rows.limit(1)) is not None
    placement = lines.put(uow, channel, row.build, row.storefront, lines.Extent(share=0, back=back))
    placement.submission_id, placement.release_id = row.id, row.release_id
    queue.put(uow.session, "show_content", queue.CONTENT, lock="visibility", build=str(row.build_id))
    if row.build.bundle is not None:
        bind(uow, row.build, line_of_build(uow, row.build), row.build.bundle.fingerprint)
    return placement


def _placement(uow: UnitOfWork, row: SubmissionRow) -> PlacementRow | None:
    rows = select(PlacementRow).where(PlacementRow.submission_id == row.id, PlacementRow.state.in_(LIVE))
    return uow.session.scalar(rows.order_by(PlacementRow.number.desc()).limit(1))


def submissions_of(uow: UnitOfWork, channel: ChannelRow, numbers: Sequence[int]) -> dict[int, uuid.UUID]:
    """Placement -> its submission, of those that a storefront delivers."""
    rows = select(PlacementRow.number, PlacementRow.submission_id).where(
        PlacementRow.channel_id == channel.id, PlacementRow.number.in_(numbers), PlacementRow.submission_id.isnot(None)
    )
    return {number: ident for number, ident in uow.session.execute(rows) if ident is not None}


def pass_on(
    services: Services, actor: Actor, idents: Sequence[uuid.UUID], act: str, share: float | None = None, why: str = ""
) -> None:
    """To each submission's storefront, and then the channel shows what came of it.

    Raises `Refused` before anything is done where one of them cannot, or for a share that is no whole per cent.
    """
    with begin(services, actor) as uow:
        rows = [uow.session.get_one(SubmissionRow, ident) for ident in idents]
        for row in rows:
            must_be_able(uow, row.storefront, act)
    if idents and share is not None and not float(share).is_integer():
        raise Refused("storefront.cannot", f"storefronts count whole per cents, and this is {share:g} %", where="share")
    for row in rows:
        port = storefront_of(services, row.storefront)
        seen = port.act(row.there_id, ActIn(act=act, share=None if share is None else int(share)))
        with begin(services, actor) as uow:
            mine = uow.session.get_one(SubmissionRow, row.id, with_for_update={"of": SubmissionRow})
            keep_seen(uow, mine, seen)
            follow_shown(uow, mine, why)
        if act == "roll-back":
            _look_at_all(services, port, row)


def _look_at_all(services: Services, port: StorefrontPort, row: SubmissionRow) -> None:
    """What it showed before is back: that is another submission of the title."""
    there = {seen.id: seen for seen in port.submissions(row.asked.identifier)}
    with begin(services, service_actor(WHO)) as uow:
        rows = select(SubmissionRow).where(
            SubmissionRow.there_id.in_(there), SubmissionRow.storefront == row.storefront
        )
        for mine in uow.session.scalars(rows.order_by(SubmissionRow.number).with_for_update(of=SubmissionRow)):
            if keep_seen(uow, mine, there[mine.there_id]):
                follow_shown(uow, mine)


def must_be_able(uow: UnitOfWork, storefront: str, act: str) -> None:
    account = uow.session.scalar(select(StorefrontRow).where(StorefrontRow.name == storefront))
    if account is None or account.state not in USABLE:
        hint = f"rampa storefront connect {storefront}"
        raise Conflict(
            "storefront.not-connected", f"the line is {storefront}'s, and no account is connected", hint=hint
        )
    needed = NEEDS.get(act)
    if needed is not None and needed not in About.model_validate(account.about).abilities:
        raise Refused("storefront.cannot", f"{account.title} {CANNOT[needed]}")


def moved(services: Services, ident: uuid.UUID) -> None:
    """The storefront said something new of a submission."""
    with begin(services, service_actor(WHO)) as uow:
        follow_shown(uow, uow.session.get_one(SubmissionRow, ident, with_for_update={"of": SubmissionRow}))
