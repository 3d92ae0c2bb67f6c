"""What `bin/test --coverage` measured: lines and branches by module, and whether the floor of pyproject.toml is kept."""

from __future__ import annotations

import json
import subprocess
import sys
import tomllib
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCE = "src/rampa/"


@dataclass(frozen=True)
class Covered:
    """Counts of statements and branches, and of those that were run."""

    statements: int = 0
    ran: int = 0
    branches: int = 0
    taken: int = 0

    def __add__(self, other: Covered) -> Covered:
        return Covered(
            self.statements + other.statements,
            self.ran + other.ran,
            self.branches + other.branches,
            self.taken + other.taken,
        )

    @property
    def lines(self) -> float:
        return 100 * self.ran / self.statements if self.statements else 100.0

    @property
    def both(self) -> float:
        every = self.statements + self.branches
        return 100 * (self.ran + self.taken) / every if every else 100.0

    def row(self, name: str) -> str:
        return f"{name:<58} {self.statements:>7,} {self.lines:>7.1f} % {self.branches:>7,} {self.both:>7.1f} %"


def measured() -> dict[str, Covered]:
    """Module, as its path below src/rampa -> what was run of it."""
    words = [sys.executable, "-m", "coverage", "json", "-q", "-o", "-"]
    told = json.loads(subprocess.run(words, cwd=ROOT, capture_output=True, check=True).stdout)
    found = {}
    for path, file in told["files"].items():
        s = file["summary"]
        counts = Covered(s["num_statements"], s["covered_lines"], s["num_branches"], s["covered_branches"])
        found[path.partition(SOURCE)[2]] = counts
    return found


def total(parts: Iterable[Covered]) -> Covered:
    return sum(parts, Covered())


def main() -> int:
    found = measured()
    floor = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["rampa"]["coverage"]
    print(f"{'module':<58} {'lines':>7} {'run':>9} {'branch':>7} {'of both':>9}")
    for name, counts in sorted(found.items()):
        print(counts.row(name))
    print()
    rooms = sorted({name.split("/")[0] for name in found if "/" in name})
    for room in rooms:
        print(total(c for n, c in found.items() if n.startswith(f"{room}/")).row(room))
    every, core = total(found.values()), total(c for n, c in found.items() if n.startswith("core/"))
    print(every.row("all"))
    below = [
        f"{what}: {reached:.1f} %, and the floor is {floor[what]} %"
        for what, reached in (("all", every.both), ("core-lines", core.lines))
        if reached < floor[what]
    ]
    for line in below:
        print(line, file=sys.stderr)
    return 1 if below else 0


if __name__ == "__main__":
    sys.exit(main())
