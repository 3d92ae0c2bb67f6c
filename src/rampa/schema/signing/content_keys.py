"""Keys of encrypted depots, hexadecimal."""

from __future__ import annotations

import datetime as dt

from rampa.schema.common import Wire


class WrappedKey(Wire):
    """A content key that only the release key opens."""

    id: str
    wrapped: str


class ContentKeys(Wire):
    """`release_key` is empty until the build is released; the wrapped keys may lie anywhere."""

    build: int
    released_at: dt.datetime | None
    release_key: str
    keys: list[WrappedKey]
