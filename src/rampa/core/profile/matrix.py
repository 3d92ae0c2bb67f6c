"""The matrix: settings x profiles, with what differs and the odd ones out."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Hashable
from dataclasses import dataclass
from typing import Any

from rampa.core.profile.resolution import Resolved
from rampa.core.profile.settings.table import SETTINGS
from rampa.core.profile.values import Value


@dataclass(frozen=True, slots=True)
class MatrixLine:
    """One setting over all profiles, in the document's order. `odd` are places of cells that alone say something else."""

    key: str
    cells: tuple[Value | None, ...]
    differs: bool
    odd: frozenset[int]


def matrix(profiles: list[Resolved]) -> list[MatrixLine]:
    """A row a setting."""
    platforms = [p.settings.platform for p in profiles]
    return [_row(key, tuple(p.values.get(key) for p in profiles), platforms) for key in SETTINGS]


def _row(key: str, cells: tuple[Value | None, ...], platforms: list[str]) -> MatrixLine:
    said = [_hashed(cell.value if cell else None) for cell in cells]
    if len(set(said)) < 2:
        return MatrixLine(key, cells, False, frozenset())
    # What a profile is differs by its nature: there nobody is odd.
    odd = frozenset() if "." not in key else _odd(said, platforms)
    return MatrixLine(key, cells, True, odd)


def _odd(said: list[Hashable], platforms: list[str]) -> frozenset[int]:
    """Of three or more: a cell that differs from all others, which agree; or a platform whose cells agree and differ so."""
    counts = Counter(said)
    if len(counts) == 2 and len(said) > 2:
        value, times = counts.most_common()[-1]
        if times == 1:
            return frozenset({said.index(value)})
    by_platform: dict[str, set[Hashable]] = defaultdict(set)
    for platform, value in zip(platforms, said, strict=True):
        by_platform[platform].add(value)
    if len(by_platform) < 3 or len(counts) != 2 or any(len(values) > 1 for values in by_platform.values()):
        return frozenset()
    per_value = Counter(next(iter(values)) for values in by_platform.values())
    value, times = per_value.most_common()[-1]
    return frozenset(i for i, v in enumerate(said) if v == value) if times == 1 else frozenset()


def _hashed(value: Any) -> Hashable:
    if isinstance(value, dict):
        return tuple(sorted(value.items()))
    return value  # type: ignore[no-any-return]
