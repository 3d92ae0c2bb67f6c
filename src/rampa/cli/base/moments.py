"""Moments as people type them."""

from __future__ import annotations

import datetime as dt

from rampa.core.errors import Invalid

UNITS = {"min": 60, "h": 3600, "d": 86400}


def read_moment(text: str, *, ahead: bool) -> dt.datetime:
    """`2026-11-30T09:00` in this machine's zone or one that it names; `3h`, `20min`, `2d` from now on, or back where not `ahead`.

    Raises `Invalid` for what is no moment.
    """
    said = text.removeprefix("in ").strip()
    for unit, seconds in UNITS.items():
        count = said.removesuffix(unit).strip()
        if said.endswith(unit) and count.isascii() and count.isdigit() and len(count) < 6:
            span = dt.timedelta(seconds=int(count) * seconds)
            return dt.datetime.now(dt.UTC) + (span if ahead else -span)
    try:
        return dt.datetime.fromisoformat(said).astimezone(dt.UTC)
    except (ValueError, OverflowError) as error:
        hint = "Such as 2026-11-30T09:00, or 3h, 2d."
        raise Invalid("moment.unread", f"{text[:40]!r} is no moment", where="--at", hint=hint) from error
