"""Version codes: the whole number that a storefront orders by. It only rises; a code that was given is never given again."""

from __future__ import annotations

from rampa.core.errors import Refused


def next_code(highest: int | None, limit: int) -> int:
    """The code after the highest that was ever reserved. Raises `Refused` when the platform's limit is reached."""
    code = 1 if highest is None else highest + 1
    if code > limit:
        raise Refused("version.exhausted", f"version code {code} is above this platform's limit of {limit}")
    return code
