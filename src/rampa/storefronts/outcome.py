"""What a person writes of something that they work off by hand: `outcome.toml`."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Collection
from pathlib import Path
from typing import Any

from rampa.core.errors import Invalid

OUTCOME = "outcome.toml"


def read_outcome(
    file: Path, says: Collection[str], states: Collection[str], check: Callable[[dict[str, Any]], None]
) -> dict[str, Any]:
    """Empty where nothing was written. `check` raises ValueError or TypeError.

    Raises `Invalid` with what is wrong and what can be written: it is the person's to mend.
    """
    if not file.is_file():
        return {}
    try:
        said = tomllib.loads(file.read_bytes().decode())
        unknown = next((key for key in said if key not in says), None)
        if unknown is not None:
            raise ValueError(f"there is no {unknown!r}; there is {', '.join(sorted(says))}")
        if said.get("state") not in states:
            raise ValueError(f"{said.get('state', '')!r} is no state")
        check(said)
    except (ValueError, RecursionError, TypeError) as error:
        hint = f'Write state = "…" with one of: {", ".join(states)}; and said = "…".'
        message = f"{OUTCOME} cannot be read: {error}"[:300]
        raise Invalid("storefront.outcome", message, where=str(file), hint=hint) from error
    return said
