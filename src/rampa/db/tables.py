"""All tables, for the migrations."""

from rampa.db import (
    agents,
    bisects,
    board,
    builds,
    channels,
    content,
    crashes,
    devices,
    health,
    people,
    releases,
    runs,
    schedule,
    sign_in,
    sign_offs,
    signing,
    sources,
    testers,
    titles,
    variables,
    versions,
)
from rampa.db.base import Base

__all__ = [
    "agents",
    "bisects",
    "board",
    "builds",
    "channels",
    "content",
    "crashes",
    "devices",
    "health",
    "metadata",
    "people",
    "releases",
    "runs",
    "schedule",
    "sign_in",
    "sign_offs",
    "signing",
    "sources",
    "testers",
    "titles",
    "variables",
    "versions",
]

metadata = Base.metadata
