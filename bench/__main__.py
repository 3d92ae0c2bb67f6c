"""`bin/bench`: our code beside general-purpose tools, in one run, on the same data."""

from __future__ import annotations

import argparse
import datetime as dt
import json
import os
import sys
import tempfile
from pathlib import Path

from bench import runs
from bench.generate import generate
from bench.measure import GROUPS
from bench.rows import Figure, Tree

SLOW = ("memory-10g",)


def main() -> int:
    options = _options()
    known = [i for g in GROUPS for i in g.ids]
    wanted = options.rows.split(",") if options.rows else [i for i in known if i not in SLOW or options.all]
    unknown = [w for w in wanted if w not in known]
    if unknown:
        print(f"bin/bench: there is no row {', '.join(unknown)}. Known: {', '.join(known)}", file=sys.stderr)
        return 2
    with tempfile.TemporaryDirectory(prefix="rampa-bench-", dir=options.scratch) as scratch:
        tree = _tree(options, Path(scratch))
        if tree is None:
            return 2
        try:
            figures = _measure(tree, wanted)
        finally:
            runs.end()
    _print(figures)
    if options.json:
        Path(options.json).write_text(json.dumps([f.as_json() for f in figures], indent=1) + "\n")
    return 0


def _options() -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="bin/bench", description=__doc__)
    parser.add_argument("--data", help="a folder that holds v1 and v2, in place of the generated tree")
    parser.add_argument("--rows", help="only these rows, separated by commas")
    parser.add_argument("--json", help="also write the figures to this file")
    parser.add_argument("--size-mb", type=int, default=256, help="size of the generated tree (256)")
    parser.add_argument("--seed", type=int, default=7)
    parser.add_argument("--all", action="store_true", help="slow rows, too (memory-10g needs 30 GB of disk)")
    parser.add_argument("--scratch", help="where to write (the system's temporary folder)")
    return parser.parse_args()


def _tree(options: argparse.Namespace, scratch: Path) -> Tree | None:
    if not options.data:
        print(f"Generating {options.size_mb} MB, seed {options.seed} …", file=sys.stderr)
        generate(scratch / "data", options.size_mb, options.seed)
        return Tree(scratch / "data/v1", scratch / "data/v2", scratch, True)
    data = Path(options.data).resolve()
    if not (data / "v1").is_dir() or not (data / "v2").is_dir():
        print(f"bin/bench: {data} must hold the folders v1 and v2", file=sys.stderr)
        return None
    # Trees of the shared generator carry its archives; anything else is a real tree, with the aims of one.
    return Tree(data / "v1", data / "v2", scratch, (data / "v1/data/pack00.pak").exists())


def _measure(tree: Tree, wanted: list[str]) -> list[Figure]:
    figures = []
    for group in GROUPS:
        if any(i in wanted for i in group.ids):
            print(f"Measuring {', '.join(group.ids)} …", file=sys.stderr)
            figures += [f for f in group.measure(tree) if f.row in wanted]
    return figures


def _print(figures: list[Figure]) -> None:
    print(f"{dt.date.today()}, {os.cpu_count()} cores, Python {sys.version.split()[0]}")
    print(f"{'row':<28} {'ours':>14} {'theirs':>14} {'ratio':>7} {'aim':>6}")
    for f in figures:
        ratio = f"{f.ratio:7.3f}" if f.ratio is not None else "      -"
        met = "" if f.ratio is None else (" ok" if f.ratio <= f.aim else " short")
        theirs = _show(f.theirs, f.unit) if f.theirs is not None else "-"
        print(
            f"{f.row:<28} {_show(f.ours, f.unit):>14} {theirs:>14} {ratio} {f.aim:6.2f}{met}{'  ' + f.note if f.note else ''}"
        )


def _show(value: float, unit: str) -> str:
    return f"{value / 1e6:.2f} MB" if unit == "bytes" else f"{value:.3f} {unit}"


if __name__ == "__main__":
    sys.exit(main())
