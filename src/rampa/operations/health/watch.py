"""Looking after rollouts: what grows is compared with the build before, and holds itself where it is worse."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import delete, or_, select

from rampa.core.errors import RampaError
from rampa.core.health.comparison import Verdict
from rampa.core.placement.life import PlacementState
from rampa.db import ChannelRow, HealthBatchRow, HealthEventRow, PlacementRow, locked
from rampa.operations.base import Services, audit, begin, service_actor
from rampa.operations.channels.rollouts import hold_in
from rampa.operations.channels.shown import pass_on
from rampa.operations.health.placements import look
from rampa.operations.health.stacks import forget_crashes

WATCH = "the watch"
"""Who holds a rollout that is worse than the build before."""
AFTER = dt.timedelta(days=3)
"""For so long a placement is looked after once every device has it."""
KEPT = dt.timedelta(days=30)


def watch(services: Services) -> int:
    """Looks at everything that grows, each in a transaction of its own; how many were held."""
    with begin(services) as uow:
        recent = PlacementRow.created_at > uow.now - AFTER
        rows = select(PlacementRow.id, PlacementRow.channel_id).where(
            or_(
                PlacementRow.state == PlacementState.GROWING,
                (PlacementRow.state == PlacementState.WHOLE) & recent,
                (PlacementRow.state == PlacementState.HELD) & recent,
            )
        )
        found = list(uow.session.execute(rows))
    return sum(_watch_one(services, placement, channel) for placement, channel in found)


def _watch_one(services: Services, ident: uuid.UUID, channel: uuid.UUID) -> bool:
    with begin(services) as uow:
        seen = look(uow, uow.session.get_one(PlacementRow, ident)).health
    with begin(services, service_actor(WATCH)) as uow:
        # Somebody grows or holds there at this moment: the next look comes in seconds.
        if not locked(uow.session, select(ChannelRow).where(ChannelRow.id == channel), skip=True):
            return False
        placement = next(iter(locked(uow.session, select(PlacementRow).where(PlacementRow.id == ident))), None)
        if placement is None:
            return False
        turned = placement.verdict != seen.verdict
        placement.verdict, placement.health_said, placement.health_at = seen.verdict, seen.said, uow.now
        # A person let it go on although it was worse: it is not held again for the same.
        if seen.verdict != Verdict.WORSE or not turned:
            return False
        channel_name = placement.channel.name
        audit.record(uow, "health.worse", placement.name, placement.title_slug, channel=channel_name, why=seen.said)
        if placement.state != PlacementState.GROWING:
            return False
        theirs = placement.submission_id
        if theirs is None:
            hold_in(uow, placement, seen.said)
            return True
    return _hold_there(services, theirs, seen.said)


def _hold_there(services: Services, submission: uuid.UUID, why: str) -> bool:
    """Where the storefront cannot, or does not answer, the alarm is all there is: people were told."""
    try:
        pass_on(services, service_actor(WATCH), [submission], "hold", why=why)
    except RampaError:
        return False
    return True


def forget(services: Services) -> None:
    """What devices reported longer ago than decisions need."""
    with begin(services) as uow:
        before = uow.now - KEPT
        uow.session.execute(delete(HealthEventRow).where(HealthEventRow.at < before))
        uow.session.execute(delete(HealthBatchRow).where(HealthBatchRow.at < before))
        forget_crashes(uow, before)
