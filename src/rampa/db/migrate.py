"""Migrating the database by Alembic; `python -m rampa.db.migrate URL "what changes"` writes a migration for changed models."""

from __future__ import annotations

import sys
from pathlib import Path

from alembic import command
from alembic.config import Config

FOLDER = Path(__file__).parent / "migrations"


def configuration(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(FOLDER))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    return config


def migrate(url: str) -> None:
    """Brings the database at `url` to the newest state; several processes at once wait for one another."""
    command.upgrade(configuration(url), "head")


def write_migration(url: str, what: str) -> None:
    """From how the tables of the database at `url`, migrated first, differ from the models; to be read before it is kept."""
    migrate(url)
    command.revision(configuration(url), what, autogenerate=True)


if __name__ == "__main__":
    write_migration(*sys.argv[1:3])
