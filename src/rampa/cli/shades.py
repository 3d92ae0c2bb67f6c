"""Shades of a heat map in a terminal: five steps, readable without colour by the figures that stand in them."""

from __future__ import annotations

STEPS = ("on #1f2a1f", "on #37421f", "on #5a5a1a", "on #7a4a14", "on #8a2f12")


def shade(value: float, most: float) -> str:
    """The style for a share of the greatest value; white on a dark ground, darker red for more."""
    step = min(len(STEPS) - 1, int(len(STEPS) * value / most)) if most > 0 else 0
    return f"#f5f5f5 {STEPS[step]}"
