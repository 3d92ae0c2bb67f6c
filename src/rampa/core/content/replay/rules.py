"""What a replay changes: how content is packed, how it is divided into depots, and how large players' frames may be."""

from __future__ import annotations

from dataclasses import dataclass

from rampa.core.content.depots.depots import DepotRule
from rampa.core.content.pack.compression import PackingRules
from rampa.core.profile.resolved import ResolvedProfile


@dataclass(frozen=True)
class ReplayRules:
    """`frame`: the most MiB of content in a frame for players; `apart`: the depots that are under a key of their own."""

    packing: PackingRules
    depots: tuple[DepotRule, ...]
    frame: int
    apart: frozenset[str] = frozenset()


def rules_of(profile: ResolvedProfile, frame: int) -> ReplayRules:
    """`frame`: what the service allows, in MiB."""
    content = profile.settings.content
    apart = frozenset(d.name for d in profile.depots) if content.encryption else frozenset()
    packing = PackingRules(content.compression, content.packing)
    return ReplayRules(packing, profile.depots, min(frame, content.player_frame), apart)
