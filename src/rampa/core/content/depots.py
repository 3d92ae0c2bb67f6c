"""Splitting a tree into depots by their rules. A path that two depots take, or none does, is for the checks to judge."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import pathspec

from rampa.core.content.choosing import EVERYBODY, Selector
from rampa.core.content.paths import check_path
from rampa.core.content.tree import FileEntry, LinkEntry, Tree


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
        only, without = pathspec.GitIgnoreSpec.from_lines(rule.only), pathspec.GitIgnoreSpec.from_lines(rule.not_)
        below = f"{rule.from_}/" if rule.from_ else ""
        return lambda path: path.startswith(below) and bool(only.match_file(path)) and not without.match_file(path)

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

    by_name = {r.name: r for r in rules}
    for file in tree.files:
        for name in owners(file.path):
            files[name].append(replace(file, path=check_path(by_name[name].delivered(file.path))))
    for link in tree.links:
        for name in owners(link.path):
            links[name].append(replace(link, path=check_path(by_name[name].delivered(link.path))))
    return {r.name: _sorted(files[r.name], links[r.name]) for r in rules}, nowhere


def _sorted(files: list[FileEntry], links: list[LinkEntry]) -> Tree:
    """A mapping can change the order."""
    return Tree(tuple(sorted(files, key=lambda f: f.path)), tuple(sorted(links, key=lambda k: k.path)))
