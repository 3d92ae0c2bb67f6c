"""How profiles are printed: resolved, compared, as a matrix, and what checks found in them."""

from __future__ import annotations

from collections.abc import Sequence

from rich.table import Table
from rich.text import Text

from rampa.cli.base.output import SEVERITY, out, ruled
from rampa.core.errors import NotFound
from rampa.core.quantity import counted
from rampa.schema.profiles import profiles as wire

SHOWN_CELL = 40


def origin(place: wire.OriginOut) -> str:
    return f"line {place.line}, {place.layer}" if place.line else "default"


def resolved(found: wire.ResolvedOut, everything: bool) -> None:
    """Key, value, origin; settings that nobody set only when asked for."""
    grid = ruled()
    grid.add_column("setting", no_wrap=True)
    grid.add_column("value", overflow="fold", ratio=1)
    grid.add_column("origin", overflow="fold", style="dim")
    broken = {f.key: f.severity for f in reversed(found.findings)}
    hidden = 0
    for setting in found.settings:
        value = setting.value
        said = value is not None and bool(value.origin.line)
        if not said and not everything and setting.key not in broken:
            hidden += 1
            continue
        mark = _mark(broken.get(setting.key, ""))
        words = Text(value.text if value else "not set", "" if said else "dim")
        grid.add_row(Text(setting.key), mark + words, origin(value.origin) if value else "")
    out().print(grid)
    if hidden:
        out().print(Text(f"{counted(hidden, 'setting')} at the default; --all shows them.", style="dim"))


def comparison(found: wire.ComparisonOut) -> None:
    """Only what differs, by group."""
    if not found.differences:
        out().print(f"{found.left.says} and {found.right.says} say the same.")
        return
    labels = {g.name: g.label for g in found.groups}
    grid = ruled()
    grid.add_column("setting", no_wrap=True)
    grid.add_column(found.left.says, overflow="fold", ratio=1)
    grid.add_column(found.right.says, overflow="fold", ratio=1)
    group = ""
    for row in found.differences:
        if row.group != group:
            group = row.group
            grid.add_row(Text(labels[group], style="bold"), "", "")
        grid.add_row(Text(f"  {row.key}"), _side(row.left), _changed(row))
    out().print(grid)
    out().print(Text(f"{counted(len(found.differences), 'setting differs', 'settings differ')}.", style="dim"))


def differing(differences: Sequence[wire.DifferenceOut]) -> None:
    """Settings that differ between two builds."""
    if not differences:
        out().print("The settings are the same.", style="dim")
        return
    grid = ruled()
    for name in ("setting", "before", "after"):
        grid.add_column(name, overflow="fold")
    for row in differences:
        grid.add_row(row.key, _side(row.left), _changed(row))
    out().print(grid)


def _side(value: wire.ValueOut | None) -> Text:
    return Text(value.text) if value else Text("not set", style="dim")


def _changed(row: wire.DifferenceOut) -> Text:
    """For lists what came and went; else the value."""
    if row.added or row.taken:
        signed = [*(f"+ {item}" for item in row.added), *(f"− {item}" for item in row.taken)]
        return Text("\n".join(signed))
    return Text(f"{row.right.text} (another order)") if row.moved and row.right else _side(row.right)


def only(found: wire.MatrixOut, names: list[str]) -> wire.MatrixOut:
    """The matrix with these columns, in this order; as it is without names. Raises `NotFound` for an unknown profile."""
    if not names:
        return found
    places = {c.name: i for i, c in enumerate(found.columns)}
    unknown = [n for n in names if n not in places]
    if unknown:
        raise NotFound("profile.unknown", f"there is no profile {unknown[0]!r}", hint=f"There is: {', '.join(places)}.")
    at = [places[n] for n in names]
    rows = [
        row.model_copy(
            update={
                "cells": [row.cells[i] for i in at],
                "odd": [new for new, i in enumerate(at) if i in row.odd],
                "differs": len({_plain(row.cells[i]) for i in at}) > 1,
            }
        )
        for row in found.rows
    ]
    kept = [f for f in found.findings if f.profile in names]
    return found.model_copy(update={"columns": [found.columns[i] for i in at], "rows": rows, "findings": kept})


def _plain(value: wire.ValueOut | None) -> str:
    return repr(value.value) if value else ""


def matrix(found: wire.MatrixOut, rows: Sequence[wire.RowOut]) -> None:
    """Settings down, profiles across; `*` marks the odd ones out, a shape what checks found."""
    broken: dict[tuple[str, str], str] = {}
    for f in reversed(found.findings):
        broken[f.profile, f.key] = f.severity
    grid = ruled(padding=(0, 1))
    grid.add_column("setting", no_wrap=True)
    for column in found.columns:
        grid.add_column(column.name.replace("-", "-\n"), overflow="fold")
    labels = {g.name: g.label for g in found.groups}
    group = ""
    for row in rows:
        if row.group != group:
            group = row.group
            grid.add_row(Text(labels[group], style="bold"), *("" for _ in found.columns))
        cells = [_cell(row, i, broken.get((c.name, row.key), "")) for i, c in enumerate(found.columns)]
        grid.add_row(Text(f"  {row.key.partition('.')[2] or row.key}"), *cells)
    out().print(grid)
    out().print(Text("* differs from all others", style="dim"))


def _cell(row: wire.RowOut, place: int, severity: str) -> Text:
    value = row.cells[place]
    words = value.text if value else ""
    if value and isinstance(value.value, list):
        words = words.replace(", ", "\n")
    short = words if len(words) <= SHOWN_CELL else words[: SHOWN_CELL - 1] + "…"
    cell = Text(short)
    if place in row.odd:
        cell = Text(f"{short} *", style="bold")
    cell = _mark(severity) + cell
    if value and not value.origin.line and place not in row.odd:
        cell.stylize("dim")
    return cell


def _mark(severity: str) -> Text:
    """A finding's shape; nothing without one."""
    if not severity:
        return Text("")
    word, style = SEVERITY[severity]
    return Text(f"{word[:1]} ", style=style)


def findings(found: Sequence[wire.ProfileFindingOut], where: str = "") -> None:
    """Shape and word, the profiles, what is wrong; then where it was said, what is allowed, how to fix it.

    What several profiles have alike is said once. `where` ends the command that makes the fix.
    """
    alike: dict[tuple[str, str, str, str], list[wire.ProfileFindingOut]] = {}
    for finding in found:
        alike.setdefault((finding.severity, finding.code, finding.key, finding.message), []).append(finding)
    grid = Table.grid(padding=(0, 2))
    grid.add_column(no_wrap=True)
    grid.add_column(overflow="fold")
    for group in alike.values():
        first = group[0]
        word, style = SEVERITY[first.severity]
        names = ", ".join(f.profile for f in group if f.profile)
        grid.add_row(Text(word, style=style), Text(f"{names}: {first.message}." if names else f"{first.message}."))
        one_fix = len({tuple(e.says for e in f.fix) for f in group}) == 1
        hint = first.hint if one_fix else first.hint.partition(" Fix: ")[0]
        grid.add_row("", Text(f"{first.key}, {origin(first.origin)}. {hint}", style="dim"))
        able = " ".join(f.name for f in group if f.fix)
        if able:
            grid.add_row("", Text(f"rampa profile fix {able}{where}", style="dim"))
    if found:
        out().print(grid)
