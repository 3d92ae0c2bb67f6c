"""Values of settings, each with its origin: the layer, line and column where it was said."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

FILE_NAME = "rampa.toml"
MAX_ITEMS = 2000
"""Items of a list, or entries of a table: more are not settings but data, and go into a file."""


class Origin(NamedTuple):
    """`layer` is `document`, `facet NAME`, `profile NAME` or `default`; line and column from 1, 0 for a default."""

    layer: str
    line: int = 0
    column: int = 0

    def place(self) -> str:
        return f"{FILE_NAME}:{self.line}" if self.line else "default"

    def words(self) -> str:
        return f"{self.place()} ({self.layer})" if self.line else "default"


DEFAULT = Origin("default")


@dataclass(frozen=True, slots=True)
class Value:
    """`value` is a text, number, flag, tuple of texts, or table of text to text; `parts` are origins of items or entries."""

    value: Any
    origin: Origin
    parts: dict[str, Origin] | None = None

    def part(self, item: str) -> Origin:
        return (self.parts or {}).get(item, self.origin)


@dataclass(frozen=True, slots=True)
class ListChange:
    """What a layer adds to a list and takes from it."""

    add: tuple[str, ...]
    take: tuple[str, ...]
    origin: Origin
    parts: dict[str, Origin]

    def on(self, before: Value | None) -> tuple[Value, list[str]]:
        """The changed list, and what was to be taken but was not there."""
        # A dictionary for its order: items stay where earlier layers put them.
        origins = {item: before.part(item) for item in before.value} if before else {}
        missing = [item for item in self.take if origins.pop(item, None) is None]
        for item in self.add:
            origins.setdefault(item, self.parts[item])
        return Value(tuple(origins), self.origin, origins), missing


@dataclass(frozen=True, slots=True)
class TableChange:
    """Entries of a table setting; None takes one away. Entries of earlier layers stay."""

    entries: dict[str, str | None]
    origin: Origin
    parts: dict[str, Origin]

    def on(self, before: Value | None) -> tuple[Value, list[str]]:
        old = dict(before.value) if before else {}
        origins = {name: before.part(name) for name in old} if before else {}
        missing = [name for name, text in self.entries.items() if text is None and name not in old]
        for name, text in self.entries.items():
            if text is None:
                old.pop(name, None)
            else:
                old[name] = text
                origins[name] = self.parts[name]
        return Value(old, self.origin, {name: origins[name] for name in old}), missing


def spoken(value: Any) -> str:
    """A value for people, on one line; nothing for one that is not set."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, tuple):
        return ", ".join(value) or "none"
    if isinstance(value, dict):
        return "; ".join(f"{name}: {text}" for name, text in value.items()) or "none"
    return str(value)
