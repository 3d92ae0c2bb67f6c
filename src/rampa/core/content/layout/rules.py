"""For whom packs are made, and what that may take."""

from __future__ import annotations

from dataclasses import dataclass

from rampa.core.content.layout.audience import USUAL, Audience


@dataclass(frozen=True)
class LayoutRules:
    """`devices`: a build that is placed for more than so many gets packs for players, one for everybody always. `seconds`: of
    wall time that making them may take; 0: none are made. `frame`: the most MiB of content in a frame. `least`: bytes; a smaller
    build gets none. `kept_days`: for so long after a build was replaced. `price`: bytes that a request counts as. `past`:
    bytes of content that must have come to what only past builds have before it is packed again; 0: never."""

    devices: int = 100
    seconds: int = 3600
    frame: int = 32
    least: int = 1024 * 1024
    kept_days: int = 7
    price: int = 16 * 1024
    past: int = 64 * 1024 * 1024
    audience: Audience = USUAL


USUAL_RULES = LayoutRules()
