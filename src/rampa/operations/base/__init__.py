"""What every use case stands on: the unit of work, who asks and what they may, events, states, pages, calls sent twice."""

from rampa.operations.base import audit
from rampa.operations.base.context import Actor, Services, service_actor
from rampa.operations.base.idempotency import Once, answered, once
from rampa.operations.base.pages import cursor_id, cursor_moment, cursor_numbers, page_of
from rampa.operations.base.policy import Act, action, actions, from_events, may, must
from rampa.operations.base.provider import Provider
from rampa.operations.base.transitions import transition
from rampa.operations.base.unit_of_work import UnitOfWork, begin

__all__ = [
    "Act",
    "Actor",
    "Once",
    "Provider",
    "Services",
    "UnitOfWork",
    "action",
    "actions",
    "answered",
    "audit",
    "begin",
    "cursor_id",
    "cursor_moment",
    "cursor_numbers",
    "from_events",
    "may",
    "must",
    "once",
    "page_of",
    "service_actor",
    "transition",
]
