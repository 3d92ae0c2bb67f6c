"""What placing a build would do, in a terminal: findings, gates, files, commits, settings, and what devices pay."""

from __future__ import annotations

from rich.text import Text

from rampa.cli.base.output import findings, mb, out, table
from rampa.cli.channels import gates
from rampa.cli.profiles.tables import differing
from rampa.client import Client
from rampa.core.quantity import counted
from rampa.schema.channels import CostOut, PlacePreview

SHOWN = 20
STYLES = {"changed": "yellow", "added": "green", "moved": "cyan", "removed": "red"}


def preview_shown(seen: PlacePreview) -> None:
    over = (
        f"replaces {seen.replaces.name} ({seen.replaces.version_name})"
        if seen.replaces
        else "nothing is live there yet"
    )
    head = Text(f"{seen.build.name} ", style="bold")
    head.append(
        f"{seen.build.version_name}, code {seen.build.version_code}, on {seen.channel}: {over}", style="default"
    )
    out().print(head)
    findings(seen.findings)
    if seen.gates:
        gates.gate_table(seen.gates)
    if seen.replaces:
        _changes(seen)
    rows = []
    if seen.update and seen.replaces:
        rows.append((f"update from {seen.replaces.name}", *_cost(seen.update)))
    for had in seen.updates:
        if seen.replaces is None or had.build.number != seen.replaces.number:
            rows.append((f"update from {had.build.name}", *_cost(had.update)))
    if seen.fresh:
        rows.append(("fresh install", *_cost(seen.fresh)))
    if rows:
        out().print()
        table(["what a device does", ">download", ">reused", ">written", ">requests"], rows)
    _coming(seen)
    out().print(f"{counted(seen.devices, 'device')} {'follows' if seen.devices == 1 else 'follow'} {seen.channel}.")
    if seen.updates:
        have = ", ".join(f"{had.build.name} on {had.devices:,}" for had in seen.updates)
        total = sum(had.devices * had.update.download for had in seen.updates)
        mean = total / sum(had.devices for had in seen.updates)
        out().print(f"They have {have}: {mb(round(mean))} a device, {mb(total)} in all.")


def _coming(seen: PlacePreview) -> None:
    """What the background will still change about the costs."""
    waiting = [had.build.name for had in seen.updates if "differences" in had.update.making]
    if seen.update and seen.replaces and "differences" in seen.update.making:
        waiting = list(dict.fromkeys([seen.replaces.name, *waiting]))
    if waiting:
        out().print(f"Differences from {', '.join(waiting)} are still made: those updates get smaller.", style="dim")
    if seen.differences_from:
        starts = ", ".join(f"#{number}" for number in seen.differences_from)
        out().print(
            f"Placing it here makes differences from {starts}: those updates get smaller, where it pays.", style="dim"
        )
    if seen.player_packs == "to-make":
        out().print("Placing it here makes packs for players: a fresh install gets smaller.", style="dim")
    elif seen.fresh and seen.fresh.making:
        then = f" It is then about {mb(seen.fresh.expected)}." if seen.fresh.expected < seen.fresh.download else ""
        out().print(f"Packs for players are still made: a fresh install gets smaller.{then}", style="dim")


def between_shown(client: Client, title: str, seen: PlacePreview) -> None:
    """Commits and settings that differ from what is live."""
    if seen.replaces is None:
        return
    c = client.builds.compare(title, seen.replaces.number, seen.build.number)
    commits = [("+", k) for k in c.commits] + [("-", k) for k in c.commits_back]
    out().print()
    if c.commits_said:
        out().print(c.commits_said)
    elif not commits:
        out().print("Both are of the same commit.")
    else:
        rows = [(sign, k.commit[:10], k.subject, k.author) for sign, k in commits[:SHOWN]]
        table(["", "commit", "~message", "author"], rows)
    if len(commits) > SHOWN:
        out().print(f"and {counted(len(commits) - SHOWN, 'more commit')}")
    if c.settings:
        out().print()
        differing(c.settings)
    out().print(f"All of it: rampa build compare {seen.replaces.name} {seen.build.name}", style="dim")


def _changes(seen: PlacePreview) -> None:
    rows = []
    for c in seen.changes[:SHOWN]:
        path = f"{c.old_path} -> {c.path}" if c.kind == "moved" else c.path
        new = mb(c.new_size - c.shared) if c.kind in ("changed", "added") else ""
        rows.append((Text(c.kind, style=STYLES[c.kind]), path, mb(c.new_size - c.old_size, signed=True), new))
    left = len(seen.changes) - SHOWN + seen.changes_left
    out().print()
    table(["", "~file", ">size", ">new content"], rows, "No file differs.")
    if left > 0:
        out().print(f"and {counted(left, 'more file')}")


def _cost(cost: CostOut) -> tuple[str, str, str, str]:
    return mb(cost.download), mb(cost.reused), mb(cost.written), str(cost.requests)
