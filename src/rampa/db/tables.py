"""All tables, for the migrations."""

from rampa.db import (
    agents,
    builds,
    channels,
    content,
    people,
    runs,
    signing,
    sources,
    titles,
    variables,
    versions,
)
from rampa.db.base import Base

__all__ = [
    "agents",
    "builds",
    "channels",
    "content",
    "metadata",
    "people",
    "runs",
    "signing",
    "sources",
    "titles",
    "variables",
    "versions",
]

metadata = Base.metadata
