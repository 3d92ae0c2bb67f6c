"""Migrations make what the models say, and nothing else; and they go back."""

from __future__ import annotations

from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine, inspect

from rampa.db.migrate import configuration, migrate
from rampa.db.tables import metadata


def ours(url: str) -> set[str]:
    return {t for t in inspect(create_engine(url)).get_table_names() if not t.startswith("procrastinate_")}


def test_the_tables_are_those_of_the_models(database_url: str) -> None:
    with create_engine(database_url).connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        found = [d for d in compare_metadata(context, metadata) if "procrastinate_" not in str(d)]
    assert found == []
    assert ours(database_url) == {*metadata.tables, "alembic_version"}


def test_a_migration_goes_back_and_forth(database_url: str) -> None:
    command.downgrade(configuration(database_url), "base")
    assert ours(database_url) == {"alembic_version"}
    migrate(database_url)
    assert ours(database_url) == {*metadata.tables, "alembic_version"}
