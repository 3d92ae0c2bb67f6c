"""Migrating the database by Alembic."""

from __future__ import annotations

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
