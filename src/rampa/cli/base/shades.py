"""Shades of a heat map in a terminal: five steps, readable without colour by the figures that stand in them."""

from __future__ import annotations

STEPS = ("on color(194)", "on color(186)", "on color(222)", "on color(215)", "on color(209)")
"""Of the 256 colours that terminals share; black on each of them can be read."""


def shade(value: float, most: float) -> str:
    """The style for a share of the greatest value; black on a light ground, from green to red."""
    step = min(len(STEPS) - 1, int(len(STEPS) * value / most)) if most > 0 else 0
    return f"color(16) {STEPS[step]}"
