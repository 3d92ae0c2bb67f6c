"""What every use case gets: the services it may use, and who asks."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from rampa.core.ambient import Random
from rampa.core.content.layout.rules import USUAL_RULES, LayoutRules
from rampa.core.content.patch.sets import Budget
from rampa.core.signing.seal import Masters
from rampa.db import Database
from rampa.operations.base.provider import Provider
from rampa.schema.common import Role
from rampa.store.key_module import KeyModule
from rampa.store.port import ContentStore
from rampa.store.reach import Reach
from rampa.store.screen_host import ScreenHostAddress
from rampa.system import RANDOM


def utc_now() -> dt.datetime:
    return dt.datetime.now(dt.UTC)


LEASE = dt.timedelta(seconds=30)
BUDGET = Budget()
NOWHERE = Reach()
"""No folder of this machine and no private host."""


@dataclass(frozen=True)
class Services:
    """One a process. `master_key`: one of 32 bytes, or several, the one that seals first.

    `lease` is how long an agent may be silent before its run is given to another; `budget` what the differences of one
    update may take; `reach` where git may go, `webhook_reach` where events are sent,
    `storefront_reach` where storefronts are.
    """

    db: Database
    store: ContentStore
    master_key: Masters
    now: Callable[[], dt.datetime] = utc_now
    random: Random = RANDOM
    lease: dt.timedelta = LEASE
    budget: Budget = BUDGET
    layout: LayoutRules = USUAL_RULES
    """For whom packs are made, and what that may take."""
    reach: Reach = NOWHERE
    webhook_reach: Reach = NOWHERE
    storefront_reach: Reach = NOWHERE
    hand_over: Path | None = None
    """Where hand-overs are laid that a person works off."""
    origin: str = ""
    """Where browsers find the console, as `https://rampa.example`; passkeys are bound to it. Empty: nobody said."""
    provider: Provider | None = None
    key_module: KeyModule | None = None
    screens: ScreenHostAddress | None = None
    """Where simulated devices run that one can look at."""


@dataclass(frozen=True)
class Actor:
    """Who asks, for the audit events and for what they may do: a person, an agent, or a device.

    `principal` is the number of each; `agent` an agent's own name, `instance` the start of it that asks; `device` a device's own
    name. `token` is the number of the token that asks, `session` the digest of the browser's session, where it is one.
    """

    principal: uuid.UUID
    name: str
    role: Role
    request_id: str = ""
    agent: str = ""
    instance: str = ""
    device: str = ""
    token: uuid.UUID | None = None
    session: bytes = b""
    ceiling: Role = Role.OWNER
    """What no call of it exceeds, whatever the person is: a token's own role."""
    title: str = ""
    """Where the role counts; empty: in the studio."""


def service_actor(name: str) -> Actor:
    """The service acting by itself: a trigger, a schedule, the queue."""
    return Actor(uuid.UUID(int=0), name, Role.ENGINEER)
