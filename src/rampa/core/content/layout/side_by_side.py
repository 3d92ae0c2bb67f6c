"""All depots of a build as one tree: each below a folder of its name, since two may deliver the same path."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from rampa.core.content.tree.tree import Tree


def side_by_side(depots: Mapping[str, Tree]) -> Tree:
    """Files only, sorted by path."""
    files = (replace(file, path=f"{depot}/{file.path}") for depot, tree in depots.items() for file in tree.files)
    return Tree(sorted(files, key=lambda f: f.path.encode()))
