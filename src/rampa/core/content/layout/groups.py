"""Which chunks may share a frame: those that every device takes together, or none does: nobody downloads for nothing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from rampa.core.content.depots.choice import Selector
from rampa.core.content.tree.columns import Numbers
from rampa.core.content.tree.tree import Tree

KEPT_APART = frozenset[str]


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


def groups_of(whole: Tree, depots: Mapping[str, Tree], classes: Mapping[str, int], apart: KEPT_APART) -> Numbers:
    """For each chunk of `whole` the number of its group (int64). Depots `apart` share with no other one.

    A chunk that lies in several classes makes a group with those that lie in the same ones. A chunk of a depot that is apart
    and of one that is not counts as of the latter: it is nothing that must be kept from anybody.
    """
    bits = np.zeros(len(whole.chunks), dtype=object)
    names = list(depots)
    for depot, tree in depots.items():
        at = whole.chunks.digests.find_all(tree.chunks.digests)
        bits[at[at >= 0]] |= 1 << (len(names) + classes[depot] if depot not in apart else names.index(depot))
    open_ = (1 << len(names)) - 1
    numbers: dict[int, int] = {}
    keys = [b >> len(names) << len(names) if b > open_ else b for b in bits.tolist()]
    return np.array([numbers.setdefault(k, len(numbers)) for k in keys], dtype=np.int64)
