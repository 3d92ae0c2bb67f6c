"""Splitting a tree into depots by their rules. A path that two depots take, or none does, is for the checks to judge."""

from __future__ import annotations

from array import array
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

import numpy as np

from rampa.core.content.depots.choice import EVERYBODY, Selector
from rampa.core.content.tree.columns import Texts, view
from rampa.core.content.tree.paths import check_link, check_path
from rampa.core.content.tree.tree import LinkEntry, Tree
from rampa.core.patterns import read_patterns


@dataclass(frozen=True)
class DepotRule:
    """A depot delivers what matches `only` and not `not_`; patterns as in gitignore(5), on the paths of the source folder.

    `from_` and `to` are folders: what lies below `from_` is delivered below `to`, and nothing else is.
    """

    name: str
    only: tuple[str, ...]
    not_: tuple[str, ...]
    selector: Selector = EVERYBODY
    from_: str = ""
    to: str = ""

    def delivered(self, path: str) -> str:
        """Where a path of the source folder comes to lie on a device."""
        rest = path[len(self.from_) + 1 :] if self.from_ else path
        return f"{self.to}/{rest}" if self.to else rest


def takers(rules: tuple[DepotRule, ...]) -> list[tuple[str, Callable[[str], bool]]]:
    """Each depot's name with what says whether it takes a path."""

    def taker(rule: DepotRule) -> Callable[[str], bool]:
        only, without = read_patterns(rule.only), read_patterns(rule.not_)
        # Rules are written for what the folder shows, not for what is delivered.
        below = f"{rule.from_}/" if rule.from_ else ""
        return lambda path: path.startswith(below) and bool(only.match_file(path)) and not without.match_file(path)

    return [(r.name, taker(r)) for r in rules]


def files_by_depot(files: Iterable[tuple[str, int]], rules: tuple[DepotRule, ...]) -> dict[str, list[tuple[str, int]]]:
    """Each depot's files (path, bytes), before they are cut into chunks."""
    all_of_it = list(files)
    return {name: [(path, size) for path, size in all_of_it if takes(path)] for name, takes in takers(rules)}


def split(tree: Tree, rules: tuple[DepotRule, ...]) -> tuple[dict[str, Tree], list[str]]:
    """(each depot's tree, the paths that belong to none). A depot that nothing matches stays empty."""
    by_depot = takers(rules)
    mapped = {r.name: r.delivered for r in rules if r.from_ or r.to}
    files: dict[str, array[int]] = {r.name: array("Q") for r in rules}
    links: dict[str, list[LinkEntry]] = {r.name: [] for r in rules}
    undelivered = []

    def owners(path: str) -> list[str]:
        names = [name for name, takes in by_depot if takes(path)]
        if not names:
            undelivered.append(path)
        return names

    for i, path in enumerate(tree.files.paths):
        for name in owners(path):
            files[name].append(i)
    for link in tree.links:
        for name in owners(link.path):
            links[name].append(link)
    return {r.name: _taken(tree, files[r.name], links[r.name], mapped.get(r.name)) for r in rules}, undelivered


def _taken(tree: Tree, files: array[int], links: list[LinkEntry], delivered: Callable[[str], str] | None) -> Tree:
    """A mapping can change the order."""
    taken = tree.take(view(files).astype(np.int64)).files
    if delivered is None:
        return Tree(taken, links)
    taken = replace(taken, paths=Texts.of(check_path(delivered(p)) for p in taken.paths))
    # Paths that were moved can sort in another order; a tree is sorted by path.
    order = taken.paths.order()
    moved = [_moved(k, check_path(delivered(k.path))) for k in links]
    return Tree(taken if order is None else taken.take(order), sorted(moved, key=lambda k: k.path))


def _moved(link: LinkEntry, path: str) -> LinkEntry:
    # Where it lies now, as many steps up may lead out of the build.
    return LinkEntry(path, check_link(path, link.target))
