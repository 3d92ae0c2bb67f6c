"""A setting: its key, type, default, what it may hold, and words for people."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

Check = Callable[[str], str]
"""Takes a text and says what is wrong with it, as a clause; empty when nothing is."""
Default = Callable[[Mapping[str, Any]], Any]
"""Takes the values that are known so far, key -> value."""

KINDS = {
    "text": "a text in quotes",
    "texts": "a list of texts",
    "number": "a whole number",
    "flag": "true or false",
    "table": "a table of texts",
}


@dataclass(frozen=True, slots=True)
class Setting:
    """One setting; `key` is `group.name`, or a plain name for what a profile is.

    `kind` is one of KINDS. `allowed` lists choices. `check` looks at each text, `names` at each name of a table.
    `least` and `most` bound a number, in `unit`. `default` is a value, or is computed from what is known.
    `used` says what the setting changes today: "build" (the bundle and depots), "checks", "runs" (for an agent's steps),
    or "placing".
    """

    key: str
    label: str
    help: str
    kind: str = "text"
    required: bool = False
    allowed: tuple[str, ...] = ()
    check: Check | None = None
    names: Check | None = None
    least: int = 0
    most: int = 2**31 - 1
    unit: str = ""
    default: Any = None
    example: str = ""
    platforms: tuple[str, ...] = ()
    used: str = "checks"
    everywhere: bool = True
    """False: stands in profiles and facets only, not in a table of the document's own."""

    @property
    def group(self) -> str:
        return self.key.partition(".")[0] if "." in self.key else "profile"

    @property
    def name(self) -> str:
        return self.key.rpartition(".")[2]

    @property
    def path(self) -> tuple[str, ...]:
        return tuple(self.key.split("."))
