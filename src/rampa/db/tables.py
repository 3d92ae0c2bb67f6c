"""All tables, for the migrations."""

from rampa.db import builds, channels, content, people, titles
from rampa.db.base import Base

__all__ = ["builds", "channels", "content", "metadata", "people", "titles"]

metadata = Base.metadata
