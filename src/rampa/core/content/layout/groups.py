"""Which chunks may share a frame: those that every device takes together, or none does: nobody downloads for nothing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from rampa.core.content.depots.choice import Selector
from rampa.core.content.tree.columns import Numbers
from rampa.core.content.tree.tree import Tree


def together(selectors: Mapping[str, Selector], choices: Sequence[frozenset[str]]) -> dict[str, int]:
    """Depot -> the number of its class; depots of a class are always taken together.

    `choices`: the sets of depots that devices really have. Without any, depots that are for the same devices are a class.
    """
    signs: dict[object, int] = {}
    out = {}
    for depot, selector in selectors.items():
        sign: object = tuple(depot in choice for choice in choices) if choices else selector
        out[depot] = signs.setdefault(sign, len(signs))
    return out


@dataclass(frozen=True)
class Groups:
    """`numbers`: for each chunk the number of its group (int64); `apart`: for each group the depot whose key it is under, or
    nothing."""

    numbers: Numbers
    apart: tuple[str, ...]


def groups_of(whole: Tree, depots: Mapping[str, Tree], classes: Mapping[str, int], apart: frozenset[str]) -> Groups:
    """Of the chunks of `whole`. Depots `apart` share with no other one: each has a key of its own.

    A chunk that lies in several classes makes a group with those that lie in the same ones. A chunk of a depot that is apart
    and of one that is not counts as of the latter: it is nothing that must be kept from anybody.
    """
    names = list(depots)
    bits = np.zeros(len(whole.chunks), dtype=object)
    for number, (depot, tree) in enumerate(depots.items()):
        at = whole.chunks.digests.find_all(tree.chunks.digests)
        bits[at[at >= 0]] |= 1 << (number if depot in apart else len(names) + classes[depot])
    groups: dict[int, int] = {}
    numbers = [groups.setdefault(_sign(b, len(names)), len(groups)) for b in bits.tolist()]
    return Groups(np.array(numbers, dtype=np.int64), tuple(_depot(sign, names) for sign in groups))


def _sign(bits: int, depots: int) -> int:
    open_ = bits >> depots << depots
    # Of several depots that are apart the first one's key is as good as the others': who has one has all of the build.
    return open_ or bits & -bits


def _depot(sign: int, names: Sequence[str]) -> str:
    number = sign.bit_length() - 1
    return names[number] if number < len(names) else ""
