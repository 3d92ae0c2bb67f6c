"""Ways of packing for players, as they were tried: a table, the chosen one marked."""

from __future__ import annotations

from rampa.cli.base.output import duration, mb, out, table
from rampa.core.content.layout.audience import read_audience
from rampa.core.quantity import counted
from rampa.schema import layout as wire


def ways_of_packing(choice: wire.LayoutChoice) -> None:
    classes = read_audience(choice.audience).classes
    whole = sum(c.weight for c in classes)
    said = ", ".join(f"{c.weight / whole:.0%} at {c.rate:g} Mbit/s{_speed(c.speed)}" for c in classes)
    by = f", as {counted(choice.devices, 'device')} said" if choice.devices else ""
    out().print(f"\nTried in {duration(choice.seconds)}, for players of whom {said}{by}:")
    rows = [
        (
            "chosen" if w.chosen else "" if w.allowed else "not allowed",
            f"{w.codec} {w.level}",
            f"{w.frame} MiB",
            mb(w.size),
            duration(w.waits),
            duration(w.unpacking),
            duration(w.packing),
        )
        for w in sorted(choice.ways, key=lambda w: w.waits)
    ]
    table(["", "way", ">frame", ">download", ">they wait", ">unpacking", ">making"], rows)
    for tried in choice.filters:
        out().print(f"{tried.name}: {1 - tried.share:+.1%} saved{'' if tried.used else ', not used'}")


def _speed(speed: float) -> str:
    """Beside the machine that tried."""
    return "" if speed == 1 else f" (unpacking {speed:g} times as fast as here)"
