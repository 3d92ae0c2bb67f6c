"""What the operator does to be troublesome: slow, failing, away, cutting connections. Kept in the storefront's database."""

from __future__ import annotations

import datetime as dt
import time
from enum import StrEnum

from flask import Response, request

from rampa.core.errors import Unavailable
from rampa.schema.storefronts import API
from rampa.standin.storefront.shop import Shop


class Trouble(StrEnum):
    """`slow`: seconds before each answer; `failing`: so many answers of 500; `cut`: the next upload is cut after so many bytes;
    `maintenance`: until a moment."""

    SLOW = "slow"
    FAILING = "failing"
    CUT = "cut"
    MAINTENANCE = "maintenance"


SLOWEST = 30.0


def meet(shop: Shop) -> Response | None:
    """Before each call of the protocol."""
    if not request.path.startswith(API):
        return None
    with shop.begin() as session:
        slow = shop.get(session, Trouble.SLOW)
        away = shop.get(session, Trouble.MAINTENANCE)
        failing = shop.get(session, Trouble.FAILING)
        if failing.get("left", 0) > 0:
            left = int(failing["left"]) - 1
            shop.set(session, Trouble.FAILING, {"left": left} if left else None)
            return Response("the storefront stumbled", status=500, content_type="text/plain")
    if slow:
        time.sleep(min(float(slow["seconds"]), SLOWEST))
    if away:
        until = dt.datetime.fromisoformat(str(away["until"]))
        left_for = round((until - shop.now()).total_seconds())
        if left_for > 0:
            raise Unavailable("storefront.maintenance", f"the storefront is being looked after until {until:%H:%M} UTC")
    return None


def cut_after(shop: Shop) -> int | None:
    """Bytes after which this connection is cut; once."""
    with shop.begin() as session:
        cut = shop.get(session, Trouble.CUT)
        if not cut:
            return None
        shop.set(session, Trouble.CUT, None)
        return int(cut["bytes"])


def troubles(shop: Shop) -> dict[str, str]:
    """What is on now, in words."""
    words = {
        Trouble.SLOW: "answers take {seconds} s more",
        Trouble.FAILING: "the next {left} calls fail",
        Trouble.CUT: "the next upload is cut after {bytes} bytes",
        Trouble.MAINTENANCE: "away until {until}",
    }
    with shop.begin() as session:
        return {t.value: words[t].format(**said) for t in Trouble if (said := shop.get(session, t))}
