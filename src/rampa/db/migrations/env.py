"""Alembic's environment: one connection, one lock, one transaction a migration."""

from alembic import context
from sqlalchemy import NullPool, create_engine, text

from rampa.db.base import render_item
from rampa.db.tables import metadata

LOCK = 0x52414D5041  # "RAMPA"

url = context.config.get_main_option("sqlalchemy.url", "")
with create_engine(url, poolclass=NullPool).begin() as connection:
    connection.execute(text("select pg_advisory_xact_lock(:lock)"), {"lock": LOCK})
    context.configure(
        connection=connection,
        target_metadata=metadata,
        compare_type=True,
        render_item=render_item,
        include_name=lambda name, kind, _: kind != "table" or not str(name).startswith("procrastinate_"),
    )
    context.run_migrations()
