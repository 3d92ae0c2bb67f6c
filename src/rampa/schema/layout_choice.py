"""What a trial found, as it is kept and shown, and read again by who goes on."""

from __future__ import annotations

from rampa.core.content.layout.audience import Audience
from rampa.core.content.layout.trial import Trial
from rampa.core.content.layout.ways import Way
from rampa.core.content.pack.filters import ARM64, BLOCKS, CODE, SOUND, Filter
from rampa.schema.layout import FilterTried, LayoutChoice, WayTried

PROCESSORS = {ARM64: "ARM64"}


def described(trial: Trial, audience: Audience, devices: int, depots: list[list[str]]) -> LayoutChoice:
    ways = [
        WayTried(
            codec=t.way.codec,
            level=t.way.level,
            frame=t.way.frame,
            size=t.size,
            packing=round(t.packing, 3),
            unpacking=round(t.unpacking, 3),
            waits=round(t.waits, 3),
            allowed=t.allowed,
            chosen=t is trial.chosen,
        )
        for t in trial.table
    ]
    filters = [
        FilterTried(
            name=_name(chosen),
            kind=chosen.kind,
            parameter=chosen.parameter,
            share=round(share, 4),
            used=chosen in trial.used,
        )
        for chosen, share in trial.filters
    ]
    return LayoutChoice(
        audience=str(audience),
        devices=devices,
        depots=depots,
        seconds=round(trial.seconds, 2),
        ways=ways,
        filters=filters,
    )


def chosen_way(choice: LayoutChoice) -> tuple[Way, frozenset[Filter]]:
    """The way, and the filters that pay."""
    way = next(w for w in choice.ways if w.chosen)
    used = frozenset(Filter(f.kind, f.parameter) for f in choice.filters if f.used)
    return Way(way.codec, way.level, way.frame), used


def _name(chosen: Filter) -> str:
    if chosen.kind == CODE:
        return f"calls and tables of {PROCESSORS.get(chosen.parameter, 'x86-64')} programs"
    if chosen.kind == SOUND:
        return f"16-bit sound, {chosen.parameter} channel{'s' if chosen.parameter > 1 else ''}"
    assert chosen.kind == BLOCKS
    return f"textures of blocks of {chosen.parameter} bytes"
