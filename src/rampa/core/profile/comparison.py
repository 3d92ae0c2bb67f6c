"""Comparing two resolved profiles: only what differs, in the settings' order."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from rampa.core.profile.resolution import Resolved
from rampa.core.profile.settings.table import SETTINGS
from rampa.core.profile.values import Value


@dataclass(frozen=True, slots=True)
class Difference:
    """A setting that differs. `added` and `taken` are what the right side has more and less, for lists and tables.

    `moved`: the same items in another order.
    """

    key: str
    left: Value | None
    right: Value | None
    added: tuple[str, ...] = ()
    taken: tuple[str, ...] = ()
    moved: bool = False


def compare(left: Resolved, right: Resolved) -> list[Difference]:
    """What `right` says otherwise than `left`; origins alone are no difference."""
    return [d for key in SETTINGS if (d := _difference(key, left.values.get(key), right.values.get(key)))]


def _difference(key: str, left: Value | None, right: Value | None) -> Difference | None:
    old, new = left.value if left else None, right.value if right else None
    if old == new:  # of tables the order says nothing
        return None
    before, after = _items(old), _items(new)
    added = tuple(i for i in after if i not in before)
    taken = tuple(i for i in before if i not in after)
    return Difference(key, left, right, added, taken, not (added or taken) and bool(before or after))


def _items(value: Any) -> tuple[str, ...]:
    if isinstance(value, dict):
        return tuple(f"{name}: {text}" for name, text in value.items())
    return value if isinstance(value, tuple) else ()


def changed_profiles(before: dict[str, Resolved], after: dict[str, Resolved]) -> dict[str, list[Difference]]:
    """Profiles that both have and that differ, each with what differs."""
    out = {name: compare(before[name], profile) for name, profile in after.items() if name in before}
    return {name: found for name, found in out.items() if found}
