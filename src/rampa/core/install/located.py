"""Locations as an installer gets them, together or in parts, read against the manifests that they count in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from rampa.core.content.manifest import manifest as manifest_format
from rampa.core.content.pack.places import joined_places
from rampa.core.content.patch import locations as locations_format
from rampa.core.content.patch.locations import Locations
from rampa.core.content.tree.merge import merge
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Damaged
from rampa.core.install.delivery import Located, LocatedPart


@dataclass(frozen=True)
class Manifests:
    """A build's encoded manifests by depot, and the tree that they make."""

    encoded: Mapping[str, bytes]
    tree: Tree

    def of(self, depots: Sequence[str]) -> Tree:
        """Raises `Damaged` for a depot that is not there."""
        if set(depots) == set(self.encoded):
            return self.tree
        try:
            return merge(manifest_format.decode(self.encoded[d]).tree for d in depots)
        except KeyError as error:
            raise Damaged("locations.damaged", "the locations are about a depot that is not asked for") from error


def read_located(located: Located, new: Manifests, old: Manifests | None) -> Locations:
    """Raises `Damaged`."""
    if isinstance(located, bytes):
        return locations_format.decode(located, new.tree, old.tree if old else None)
    read = [_read(part, new, old) for part in located]
    bases = {each.base for each in read} - {0}
    return Locations(
        joined_places([each.chunks for each in read]),
        # A chain comes with every depot that uses it.
        tuple({d.source: d for each in read for d in each.differences}.values()),
        bases.pop() if len(bases) == 1 else 0,
        joined_places([each.delivery for each in read]),
        max((each.price for each in read), default=0),
    )


def size_of(located: Located) -> int:
    """In bytes, as they travelled."""
    return len(located) if isinstance(located, bytes) else sum(len(part.data) for part in located)


def _read(part: LocatedPart, new: Manifests, old: Manifests | None) -> Locations:
    starts = old.of(part.base_depots) if old and part.base_depots else None
    return locations_format.decode(part.data, new.of(part.depots), starts)
