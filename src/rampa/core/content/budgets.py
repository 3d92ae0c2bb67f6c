"""What depots and folders may weigh, and what makes them heavier than that. Sizes are unpacked, in bytes; MB are 10^6."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

SIZE = re.compile(r"(\d{1,9}(?:\.\d{1,3})?) ?(kB|MB|GB)")
UNITS = {"kB": 10**3, "MB": 10**6, "GB": 10**9}
SHOWN = 3
Files = Iterable[tuple[str, int]]
"""(path, bytes)"""


@dataclass(frozen=True)
class Budgets:
    """Bytes by depot, and by folder of the delivered tree."""

    depots: Mapping[str, int] = field(default_factory=dict)
    folders: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class OverBudget:
    """`name` of a depot or folder; `parts` are the folders inside with their bytes, or what they grew by, heaviest first."""

    kind: str
    name: str
    size: int
    budget: int
    parts: tuple[tuple[str, int], ...]
    grew: bool


def read_size(text: str) -> int | None:
    """`300 MB`, `1.5 GB`; None for anything else."""
    match = SIZE.fullmatch(text.strip())
    return None if match is None else round(float(match[1]) * UNITS[match[2]])


def read_budgets(depots: Mapping[str, str], folders: Mapping[str, str]) -> Budgets:
    """Of texts that were checked before."""
    return Budgets(
        {name: read_size(text) or 0 for name, text in depots.items()},
        {name.strip("/"): read_size(text) or 0 for name, text in folders.items()},
    )


def over_budget(
    budgets: Budgets, depots: Mapping[str, Files], before: Mapping[str, Files] | None = None
) -> list[OverBudget]:
    """What is heavier than it may be. `before`: depots of the build before, to say what grew."""
    held = {name: list(files) for name, files in depots.items()}
    was = {name: list(files) for name, files in before.items()} if before is not None else None
    out = []
    for name, budget in budgets.depots.items():
        found = _over("depot", name, "", budget, held.get(name, []), None if was is None else was.get(name, []))
        out += [found] if found else []
    whole = _once(held)
    whole_before = None if was is None else _once(was)
    for name, budget in budgets.folders.items():
        inside = [(path, size) for path, size in whole if path.startswith(f"{name}/")]
        earlier = None if whole_before is None else [(p, s) for p, s in whole_before if p.startswith(f"{name}/")]
        found = _over("folder", name, f"{name}/", budget, inside, earlier)
        out += [found] if found else []
    return out


def _once(depots: Mapping[str, list[tuple[str, int]]]) -> list[tuple[str, int]]:
    """A path that several depots deliver, such as two languages' voices, counts once, at its heaviest."""
    sizes: dict[str, int] = {}
    for files in depots.values():
        for path, size in files:
            sizes[path] = max(size, sizes.get(path, 0))
    return list(sizes.items())


def _over(
    kind: str, name: str, root: str, budget: int, files: list[tuple[str, int]], before: list[tuple[str, int]] | None
) -> OverBudget | None:
    size = sum(weight for _, weight in files)
    if size <= budget:
        return None
    parts = _parts(root, files)
    if before:
        parts.subtract(_parts(root, before))
        grown = [(part, more) for part, more in parts.most_common() if more > 0]
        return OverBudget(kind, name, size, budget, tuple(grown[:SHOWN]), True)
    return OverBudget(kind, name, size, budget, tuple(parts.most_common(SHOWN)), False)


def _parts(root: str, files: Files) -> Counter[str]:
    """The folders right below `root`, or the files there, with their bytes."""
    sizes: Counter[str] = Counter()
    for path, size in files:
        rest = path.removeprefix(root)
        head = rest.partition("/")[0]
        sizes[root + head + ("/" if "/" in rest else "")] += size
    return sizes
