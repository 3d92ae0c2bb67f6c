"""Who may read the packs of the content store: a pack is read whole or not at all, so what differs lies in packs apart.

Higher ones are read by more: what is offered may be read by whoever may read builds, sources by engineers alone.
"""

from __future__ import annotations

from enum import IntEnum


class Visibility(IntEnum):
    SOURCE = 0
    """As it arrived: sources, symbols, what an open build was sent."""
    BUILD = 1
    """Of ready builds: depots and bundles."""
    OFFERED = 2
    """Depots of builds that are or were live on a channel, and were not withdrawn."""
    EVERYBODY = 3
    """The same of a channel for everybody: whoever may reach a delivery may read them, and they lie on others' servers."""
