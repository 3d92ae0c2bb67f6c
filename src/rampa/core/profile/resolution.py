"""Resolving: layers one over the other, from the defaults to the profile's own words. Every value keeps its origin."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from rampa.core.profile.facets import order
from rampa.core.profile.groups import Settings, typed
from rampa.core.profile.layers import Layer
from rampa.core.profile.settings.kinds import Setting
from rampa.core.profile.settings.table import SETTINGS
from rampa.core.profile.values import DEFAULT, MAX_ITEMS, Origin, Value

FIXED: dict[str, Value] = {
    s.key: Value(s.default, DEFAULT) for s in SETTINGS.values() if s.default is not None and not callable(s.default)
}
COMPUTED = tuple(s for s in SETTINGS.values() if callable(s.default))
REQUIRED = tuple(s for s in SETTINGS.values() if s.required)


@dataclass(frozen=True, slots=True)
class Untaken:
    """Something that a layer takes from a list which does not hold it."""

    key: str
    item: str
    origin: Origin


@dataclass(frozen=True)
class Resolved:
    """One profile: `values` by key, those without a value left out; `facets` in the order in which they applied."""

    name: str
    facets: tuple[str, ...]
    values: dict[str, Value]
    untaken: tuple[Untaken, ...]

    @cached_property
    def settings(self) -> Settings:
        """What code reads; `get` is for whoever has a key in hand."""
        return typed({key: value.value for key, value in self.values.items()})

    def get(self, key: str) -> Any:
        """None where nothing is set. Raises `KeyError` for a key that the table does not have."""
        if key not in SETTINGS:
            raise KeyError(f"there is no setting {key}")
        found = self.values.get(key)
        return found.value if found else None

    def origin(self, key: str) -> Origin:
        """Of the value; of the profile's platform where there is none."""
        found = self.values.get(key) or self.values["platform"]
        return found.origin


def resolve_layers(base: Layer, profile: Layer, facets: dict[str, Layer]) -> Resolved:
    """`base` is the document's layer. Raises nothing: what is missing is for `missing` to say."""
    uses = order(profile, facets)
    values = dict(FIXED)
    untaken: list[Untaken] = []
    for layer in (base, *(facets[name] for name in uses), profile):
        # A value in place of a list, then changes of the list: within one layer the value counts first.
        values.update(layer.values)
        for key, change in layer.changes.items():
            before = values.get(key)
            if before and len(before.value) > MAX_ITEMS:
                continue  # `too_long` says so
            values[key], absent = change.on(before)
            untaken.extend(Untaken(key, item, change.parts.get(item, change.origin)) for item in absent)
    return Resolved(profile.name.partition(" ")[2], uses, _computed(values), tuple(untaken))


def missing(resolved: Resolved) -> list[str]:
    """Keys that must be there and are not."""
    return [s.key for s in REQUIRED if not _has(resolved.values.get(s.key))]


def too_long(resolved: Resolved) -> list[str]:
    """Keys whose list or table has grown beyond what a document may hold."""
    return [k for k, v in resolved.values.items() if isinstance(v.value, tuple | dict) and len(v.value) > MAX_ITEMS]


def _has(value: Value | None) -> bool:
    return value is not None and value.value not in ((), "")


class _Known(Mapping[str, Any]):
    """The values so far, as defaults see them."""

    def __init__(self, values: dict[str, Value]) -> None:
        self._values = values

    def __getitem__(self, key: str) -> Any:
        return self._values[key].value

    def __iter__(self) -> Iterator[str]:
        return iter(self._values)

    def __len__(self) -> int:
        return len(self._values)


def _computed(values: dict[str, Value]) -> dict[str, Value]:
    """A default may be computed from another one that stands later in the table: rounds, until none brings a value."""
    pending = [s for s in COMPUTED if s.key not in values]
    while pending:
        left = [s for s in pending if not _compute(s, values)]
        if len(left) == len(pending):
            break
        pending = left
    return values


def _compute(setting: Setting, values: dict[str, Value]) -> bool:
    try:
        values[setting.key] = Value(setting.default(_Known(values)), DEFAULT)
    except KeyError:  # what it is computed from is missing, which is said elsewhere
        return False
    return True
