"""A release as a replay sees it, and what it cost."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from rampa.core.content.depots.choice import EVERYTHING, Choice
from rampa.core.content.layout.audience import USUAL, Audience
from rampa.core.content.layout.order import READ
from rampa.core.content.patch.difference_place import DifferencePlace
from rampa.core.content.replay.rules import ReplayRules
from rampa.core.content.tree.tree import Tree


@dataclass(frozen=True)
class Release:
    """`source`: the folder that it was made of; `rules`: those of each side; `reader` gives access to the content of a tree of
    this release's files. `differences` start from the release before, whose tree, delivered whole, was `meant`. `choices`: the
    sets of depots that devices have; `statement`: bytes of the signed statement that travels with it."""

    source: Tree
    rules: Sequence[ReplayRules]
    reader: Callable[[Tree], READ]
    differences: Sequence[DifferencePlace] = ()
    meant: Tree = field(default_factory=Tree)
    choices: Sequence[frozenset[str]] = ()
    statement: int = 0
    number: int = 1


@dataclass(frozen=True)
class Cost:
    """`download`: bytes that travel, with manifests and locations; `requests`: for frames and differences."""

    download: int
    requests: int


@dataclass(frozen=True)
class SideCost:
    """A release under one side's rules. `update`: from the release before it. `packed`: bytes of the frames that it added to the
    store; `players`: bytes of its packs for players; `undelivered`: files that no depot takes."""

    fresh: Cost
    update: Cost | None
    packed: int
    players: int
    undelivered: int


@dataclass(frozen=True)
class ReplayBounds:
    """Who downloads, and what is counted. `players`: with packs for players; `price`: bytes that a request counts as."""

    audience: Audience = USUAL
    choice: Choice = EVERYTHING
    players: bool = True
    price: int = 0
