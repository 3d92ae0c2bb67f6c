"""Cursors: opaque to callers, the last row's sort key to us."""

from __future__ import annotations

import base64
import binascii
import datetime as dt
import uuid
from collections.abc import Callable, Sequence
from typing import TypeVar

from rampa.core.errors import Invalid
from rampa.schema.common import Page, Wire

R = TypeVar("R")
W = TypeVar("W", bound=Wire)


def encode_cursor(key: str) -> str:
    return base64.urlsafe_b64encode(key.encode()).decode()


def decode_cursor(cursor: str) -> str:
    try:
        return base64.b64decode(cursor.encode(), b"-_", validate=True).decode()
    except (binascii.Error, UnicodeError) as error:
        raise _bad(cursor) from error


def cursor_id(cursor: str) -> uuid.UUID:
    try:
        return uuid.UUID(decode_cursor(cursor))
    except ValueError as error:
        raise _bad(cursor) from error


def cursor_numbers(cursor: str, count: int) -> list[int]:
    """Whole numbers, as many as the list's order has."""
    parts = decode_cursor(cursor).split(",")
    if len(parts) != count or not all(p.isascii() and p.isdigit() and len(p) < 19 for p in parts):
        raise _bad(cursor)
    return [int(p) for p in parts]


def cursor_moment(cursor: str) -> tuple[dt.datetime, uuid.UUID]:
    """A row's moment and number, of lists that are ordered by a time."""
    moment, _, ident = decode_cursor(cursor).partition(" ")
    try:
        return dt.datetime.fromisoformat(moment).astimezone(dt.UTC), uuid.UUID(ident)
    except (ValueError, OverflowError) as error:
        raise _bad(cursor) from error


def page_of(
    kind: type[Page[W]], rows: Sequence[R], limit: int, out: Callable[[R], W], key: Callable[[R], str]
) -> Page[W]:
    """A page from up to `limit + 1` rows."""
    more = len(rows) > limit
    shown = rows[:limit]
    return kind(items=[out(r) for r in shown], next=encode_cursor(key(shown[-1])) if more else None)


def _bad(cursor: str) -> Invalid:
    return Invalid("cursor.invalid", "this cursor is not one that this list gave", where="cursor")
