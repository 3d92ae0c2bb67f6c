"""Planning an update: what is kept, what is reused, what must be downloaded, to the byte.

The service asks this for a device that has exactly an earlier build (the update cost); the device asks it for what it
really has. It is one computation, so the two agree.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rampa.core.content.patch.difference_place import DifferencePlace
from rampa.core.content.patch.locations import Locations
from rampa.core.content.tree.columns import view
from rampa.core.content.tree.regions import LocalContent
from rampa.core.content.tree.tree import Tree
from rampa.core.install.cheapest import Request, supply


@dataclass(frozen=True)
class UpdatePlan:
    """`assemble`: files made of chunks; the others are there as a whole.

    `differences` make chunks of what the device has, `requests` fetch frames for the rest; together they are `download`
    bytes in `gets` answers. `reused` and `written` are bytes of content; until the old build is removed, `written` is the
    extra disk.
    """

    assemble: Tree
    differences: tuple[DifferencePlace, ...]
    requests: tuple[Request, ...]
    download: int
    gets: int
    reused: int
    written: int

    @property
    def aside(self) -> int:
        """Bytes of content that lie on the disk meanwhile, for steps of a chain that start from them; at most."""
        started_from = {source for d in self.differences for source in d.sources}
        return sum(d.new_size for d in self.differences if d.source in started_from)


def plan_update(new: Tree, have: LocalContent, locations: Locations) -> UpdatePlan:
    """Raises `Unavailable` when a chunk is neither on the device nor in any pack."""
    whole = have.wholes(new) >= 0
    assemble = new.take(np.flatnonzero(~whole))
    held = have.find_chunks(assemble.chunks.digests) >= 0
    missing = np.flatnonzero(~held)
    sizes = view(assemble.chunks.sizes).astype(np.int64)
    brought = supply(assemble.chunks.digests.take(missing), sizes[missing], locations)
    uses = view(assemble.files.numbers)
    reused = int(sizes[uses][held[uses]].sum()) if len(uses) else 0
    return UpdatePlan(
        assemble,
        brought.differences,
        brought.requests,
        brought.size,
        brought.gets,
        reused + new.size - assemble.size,
        assemble.size,
    )
