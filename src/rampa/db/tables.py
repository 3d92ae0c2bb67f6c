"""All tables, for the migrations."""

from rampa.db import agents, builds, channels, content, people, runs, sources, titles, vault
from rampa.db.base import Base

__all__ = ["agents", "builds", "channels", "content", "metadata", "people", "runs", "sources", "titles", "vault"]

metadata = Base.metadata
