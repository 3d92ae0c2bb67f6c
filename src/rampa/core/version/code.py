"""Version codes: the whole number that a storefront orders by. It only rises; a code that was given is never given again."""

from __future__ import annotations

from rampa.core.errors import Refused


def next_code(highest: int | None, limit: int, first: int = 1) -> int:
    """The code after the highest that was ever reserved, `first` or above. Raises `Refused` at the platform's limit."""
    code = max(first, (highest or 0) + 1)
    if code > limit:
        raise Refused("version.exhausted", f"version code {code} is above this platform's limit of {limit}")
    return code
