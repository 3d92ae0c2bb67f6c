"""Splitting a tree into depots by their rules. A path that two depots take, or none does, is for the checks to judge."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import pathspec

from rampa.core.content.tree import FileEntry, LinkEntry, Tree


@dataclass(frozen=True)
class DepotRule:
    """A depot delivers what matches `only` and not `not_`; patterns as in gitignore(5)."""

    name: str
    only: tuple[str, ...]
    not_: tuple[str, ...]
    addon: str = ""


def takers(rules: tuple[DepotRule, ...]) -> list[tuple[str, Callable[[str], bool]]]:
    """Each depot's name with what says whether it takes a path."""

    def taker(rule: DepotRule) -> Callable[[str], bool]:
        only, without = pathspec.GitIgnoreSpec.from_lines(rule.only), pathspec.GitIgnoreSpec.from_lines(rule.not_)
        return lambda path: bool(only.match_file(path)) and not without.match_file(path)

    return [(r.name, taker(r)) for r in rules]


def split(tree: Tree, rules: tuple[DepotRule, ...]) -> tuple[dict[str, Tree], list[str]]:
    """(each depot's tree, the paths that belong to none). A depot that nothing matches stays empty."""
    by_depot = takers(rules)
    files: dict[str, list[FileEntry]] = {r.name: [] for r in rules}
    links: dict[str, list[LinkEntry]] = {r.name: [] for r in rules}
    nowhere = []

    def owners(path: str) -> list[str]:
        own = [name for name, takes in by_depot if takes(path)]
        if not own:
            nowhere.append(path)
        return own

    for file in tree.files:
        for name in owners(file.path):
            files[name].append(file)
    for link in tree.links:
        for name in owners(link.path):
            links[name].append(link)
    return {r.name: Tree(tuple(files[r.name]), tuple(links[r.name])) for r in rules}, nowhere
