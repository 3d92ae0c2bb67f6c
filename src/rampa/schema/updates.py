"""Updates from one build to another: what they cost, and the differences that make them small."""

from __future__ import annotations

from rampa.schema.common import Number, Query, Wire


class PrepareIn(Wire):
    """The differences from build `old` to build `new`."""

    old: Number
    new: Number


class PreparedQuery(Query):
    old: Number
    new: Number


class PreparedOut(Wire):
    """`state`: none (never asked for), waiting, ready, or skipped (nothing would be smaller). Bytes; seconds.

    `download`: all that travels to a device that has `old` whole; `plain`: the same without differences.
    """

    new: int
    old: int
    state: str
    differences: int
    size: int
    seconds: float
    within_budget: bool
    download: int
    plain: int
