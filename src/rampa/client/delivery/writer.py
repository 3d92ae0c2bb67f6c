"""Writing a title's delivery elsewhere, and keeping it current by what changed since.

Files that never change come first, the timestamp last: devices see the delivery before or the one after, never half of one.
Killed anywhere, the same command goes on; what is there already is not fetched again.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from rampa.client.calls import API
from rampa.client.client import Client
from rampa.client.delivery.targets import DeliveryTarget
from rampa.core import parallel
from rampa.core.delivery.names import TIMESTAMP, must_be_name
from rampa.core.errors import Refused
from rampa.schema.delivery import DeliveryFile, DeliveryFiles

Listener = Callable[[int, int], None]
"""(bytes that are written, bytes in all)."""


@dataclass(frozen=True)
class WriteReport:
    """What one run did. `change`: the count that the delivery is at now."""

    identifier: str
    change: int
    written: int = 0
    size: int = 0
    removed: int = 0


def write_delivery(
    client: Client, title: str, target: DeliveryTarget, on: Listener = lambda done, total: None
) -> WriteReport:
    """Raises `Refused` for a place that holds another title's, `Unavailable` where a disk or a network fails."""
    with target.alone():
        since = _since(client, title, target)
        listed = client.delivery.files(title, since)
        new = [f for f in listed.items if not f.over and target.held(must_be_name(f.name)) != f.size]
        _bring(client, listed, new, target, on)
        target.settle()
        stamp = base64.b64decode(listed.timestamp)
        target.put(TIMESTAMP, [stamp], len(stamp))
        over = _over(listed, target, since)
        for name in over:
            target.remove(name)
        target.keep_state(json.dumps({"identifier": listed.identifier, "change": listed.change}).encode())
        return WriteReport(listed.identifier, listed.change, len(new), sum(f.size for f in new), len(over))


def _over(listed: DeliveryFiles, target: DeliveryTarget, since: int) -> list[str]:
    """What the service says is over; where it is not known up to when the place was current, what it does not list."""
    if since:
        return [must_be_name(f.name) for f in listed.items if f.over]
    wanted = {f.name for f in listed.items} | {TIMESTAMP}
    return [name for name in target.names() if name not in wanted]


def _since(client: Client, title: str, target: DeliveryTarget) -> int:
    """Up to which change the place is current; 0 where that is not known: then each file is looked at."""
    try:
        known = json.loads(target.state())
        change, identifier = int(known["change"]), str(known["identifier"])
    except (ValueError, KeyError, TypeError):
        return 0
    if identifier != client.titles.get(title).identifier:
        hint = "Name another folder: each title has its own."
        raise Refused("delivery.other", f"this is a delivery of {identifier}", hint=hint)
    return change


def _bring(
    client: Client, listed: DeliveryFiles, new: list[DeliveryFile], target: DeliveryTarget, on: Listener
) -> None:
    total, done = sum(f.size for f in new), 0
    if total:
        on(0, total)

    def put(file: DeliveryFile) -> int:
        target.put(file.name, _pieces(client, listed.identifier, file), file.size)
        return file.size

    with parallel.pool() as threads:
        for size in parallel.in_order(threads, put, new):
            done += size
            on(done, total)


def _pieces(client: Client, identifier: str, file: DeliveryFile) -> Iterator[bytes]:
    path = f"{API}/delivery/{identifier}/{file.name}"
    if file.size > 1 << 20:
        return client.connection.stream(path)
    return iter((client.fetch(path),))
