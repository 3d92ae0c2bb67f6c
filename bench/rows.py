"""The rows of the table: what is measured, beside what, and the aim. One file a group makes the figures."""

from __future__ import annotations

import statistics
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path


@dataclass(frozen=True)
class Tree:
    """`v1` and `v2` are folders; `scratch` is for whatever a row writes."""

    v1: Path
    v2: Path
    scratch: Path
    generated: bool


@dataclass(frozen=True)
class Figure:
    """`ours` and `theirs` in `unit`; `theirs` None when the peer is missing, `note` then says which."""

    row: str
    ours: float
    theirs: float | None
    unit: str
    aim: float
    note: str = ""

    @property
    def ratio(self) -> float | None:
        return None if not self.theirs else self.ours / self.theirs

    def as_json(self) -> dict[str, object]:
        body: dict[str, object] = {
            "row": self.row,
            "ours": self.ours,
            "theirs": self.theirs,
            "ratio": self.ratio,
            "unit": self.unit,
            "aim": self.aim,
        }
        return body | ({"note": self.note} if self.note else {})


Measure = Callable[[Tree], list[Figure]]


@dataclass(frozen=True)
class Group:
    """Rows that are measured together, because one run gives several."""

    ids: tuple[str, ...]
    measure: Measure
    words: str = field(default="")


def median_of(times: int, run: Callable[[], float]) -> float:
    return statistics.median(run() for _ in range(times))
