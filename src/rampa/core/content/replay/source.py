"""The folder that a build was made of, out of what its depots deliver: other rules divide that, not what came of the first."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace

from rampa.core.content.depots.depots import DepotRule
from rampa.core.content.tree.tree import FileEntry, LinkEntry, Tree


def source_tree(depots: Mapping[str, Tree], rules: Iterable[DepotRule]) -> Tree:
    """Files and links by their paths in the folder. `rules` are those that the build was divided by; what no depot delivered is
    not kept, and so not there."""
    files: dict[str, FileEntry] = {}
    links: dict[str, LinkEntry] = {}
    rules_by_name = {rule.name: rule for rule in rules}
    for depot, tree in depots.items():
        back = _path_back(rules_by_name.get(depot))
        for file in tree.files:
            path = back(file.path)
            files.setdefault(path, replace(file, path=path))
        for link in tree.links:
            path = back(link.path)
            links.setdefault(path, replace(link, path=path))
    ordered = sorted(files.values(), key=lambda f: f.path.encode())
    return Tree(ordered, sorted(links.values(), key=lambda k: k.path))


def _path_back(rule: DepotRule | None) -> Callable[[str], str]:
    if rule is None or not (rule.from_ or rule.to):
        return lambda path: path
    skipped = len(rule.to) + 1 if rule.to else 0
    below = f"{rule.from_}/" if rule.from_ else ""
    return lambda path: below + path[skipped:]
