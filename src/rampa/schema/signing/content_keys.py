"""Keys of encrypted depots, hexadecimal."""

from __future__ import annotations

import datetime as dt

from rampa.schema.common import Wire


class WrappedKey(Wire):
    """A content key that only the unsealing key opens."""

    id: str
    wrapped: str


class ContentKeys(Wire):
    """`unsealing_key` is empty until the build is unsealed; the wrapped keys may lie anywhere."""

    build: int
    unsealed_at: dt.datetime | None
    unsealing_key: str
    keys: list[WrappedKey]
