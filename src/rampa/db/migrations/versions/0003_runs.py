"""Runs: sources, triggers, environment groups, agents, runs with their logs; the job queue's own tables."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


OPEN = sa.text("state in ('waiting', 'working', 'stopping')")


def upgrade() -> None:
    _queue(SchemaManager.get_schema())
    op.create_table(
        "call_seen",
        sa.Column("signature", sa.String(length=100), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("signature", name=op.f("pk_call_seen")),
    )
    op.create_table(
        "environment",
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("variables", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("secrets", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("changed_by", sa.String(length=200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_environment")),
        sa.UniqueConstraint("name", name=op.f("uq_environment_name")),
    )
    op.create_table(
        "agent",
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("instance", sa.String(length=64), nullable=False),
        sa.Column("abilities", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("at_once", sa.Integer(), nullable=False),
        sa.Column("paused", sa.Boolean(), nullable=False),
        sa.Column("stopped", sa.Boolean(), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_agent_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_agent")),
        sa.UniqueConstraint("name", name=op.f("uq_agent_name")),
    )
    op.create_table(
        "folder",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("manifest", sa.LargeBinary(), nullable=False),
        sa.Column("files", sa.Integer(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("note", sa.String(length=500), nullable=False),
        sa.Column("created_by", sa.String(length=200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_folder_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_folder")),
        sa.UniqueConstraint("title_id", "number", name=op.f("uq_folder_title_id_number")),
    )
    op.create_table(
        "source",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("address", sa.String(length=1000), nullable=False),
        sa.Column("user", sa.String(length=200), nullable=False),
        sa.Column("credential", sa.String(length=20), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=True),
        sa.Column("submodules", sa.Boolean(), nullable=False),
        sa.Column("every", sa.Integer(), nullable=False),
        sa.Column("fetched_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("tried_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("error", sa.String(length=1000), nullable=False),
        sa.Column("heads", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("defaults", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_source_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_source")),
        sa.UniqueConstraint("title_id", name=op.f("uq_source_title_id")),
    )
    op.create_table(
        "trigger",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("pattern", sa.String(length=200), nullable=False),
        sa.Column("schedule", sa.String(length=100), nullable=False),
        sa.Column("paths", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("profiles", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=True),
        sa.Column("next_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("last_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("last_said", sa.String(length=500), nullable=False),
        sa.Column("created_by", sa.String(length=200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_trigger_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_trigger")),
        sa.UniqueConstraint("title_id", "name", name=op.f("uq_trigger_title_id_name")),
    )
    op.create_table(
        "run",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("together", sa.String(length=40), nullable=False),
        sa.Column("profile", sa.String(length=60), nullable=False),
        sa.Column("platform", sa.String(length=40), nullable=False),
        sa.Column("purpose", sa.String(length=20), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("commit", sa.String(length=64), nullable=False),
        sa.Column("subject", sa.String(length=300), nullable=False),
        sa.Column("ref", sa.String(length=250), nullable=False),
        sa.Column("folder", sa.Integer(), nullable=False),
        sa.Column("environment", sa.String(length=60), nullable=False),
        sa.Column("version_name", sa.String(length=64), nullable=False),
        sa.Column("note", sa.String(length=500), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("why", sa.String(length=20), nullable=False),
        sa.Column("trigger", sa.String(length=60), nullable=False),
        sa.Column("started_by", sa.String(length=200), nullable=False),
        sa.Column("attempt", sa.Integer(), nullable=False),
        sa.Column("agent_id", sa.Uuid(), nullable=True),
        sa.Column("agent_name", sa.String(length=60), nullable=False),
        sa.Column("lease", sa.String(length=64), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("taken_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("step", sa.Integer(), nullable=False),
        sa.Column("spoke_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("progress", sa.Double(), nullable=True),
        sa.Column("steps", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("wanted", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("waits_for", sa.String(length=1000), nullable=False),
        sa.Column("nearest", sa.String(length=60), nullable=False),
        sa.Column("cause", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("superseded_by", sa.Integer(), nullable=False),
        sa.Column("lost_agents", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("native", sa.String(length=64), nullable=False),
        sa.Column("expected", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("log_lines", sa.BigInteger(), nullable=False),
        sa.Column("log_batch", sa.Integer(), nullable=False),
        sa.Column("errors", sa.Integer(), nullable=False),
        sa.Column("warnings", sa.Integer(), nullable=False),
        sa.Column("first_error", sa.BigInteger(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=True),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["agent_id"], ["agent.id"], name=op.f("fk_run_agent_id")),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_run_build_id")),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_run_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run")),
        sa.UniqueConstraint("title_id", "number", name=op.f("uq_run_title_id_number")),
    )
    op.create_index("ix_run_open", "run", ["state"], unique=False, postgresql_where=OPEN)
    op.create_index("ix_run_title_profile", "run", ["title_id", "profile", "number"], unique=False)
    op.create_table(
        "log_kind",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("level", sa.String(length=10), nullable=False),
        sa.Column("digest", sa.String(length=32), nullable=False),
        sa.Column("example", sa.Text(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("first_line", sa.BigInteger(), nullable=False),
        sa.Column("lines", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_log_kind_run_id")),
        sa.PrimaryKeyConstraint("run_id", "level", "digest", name=op.f("pk_log_kind")),
    )
    op.create_table(
        "log_part",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("first_line", sa.BigInteger(), nullable=False),
        sa.Column("lines", sa.Integer(), nullable=False),
        sa.Column("attempt", sa.Integer(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_log_part_run_id")),
        sa.PrimaryKeyConstraint("run_id", "first_line", name=op.f("pk_log_part")),
    )
    op.create_table(
        "run_step",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("attempt", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("said", sa.String(length=500), nullable=False),
        sa.Column("first_line", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_run_step_run_id")),
        sa.PrimaryKeyConstraint("run_id", "attempt", "position", name=op.f("pk_run_step")),
    )
    op.add_column("build", sa.Column("run", sa.Integer(), server_default="0", nullable=False))
    op.add_column("build", sa.Column("commit", sa.String(length=64), server_default="", nullable=False))
    op.add_column("build", sa.Column("ref", sa.String(length=250), server_default="", nullable=False))
    op.add_column("build", sa.Column("why", sa.String(length=20), server_default="hand", nullable=False))
    op.add_column("build", sa.Column("pinned", sa.Boolean(), server_default="false", nullable=False))
    op.add_column("build", sa.Column("native", sa.String(length=64), server_default="", nullable=False))
    op.add_column(
        "build", sa.Column("made_with", postgresql.JSONB(astext_type=sa.Text()), server_default="{}", nullable=False)
    )
    op.add_column("build", sa.Column("symbols", sa.LargeBinary(), nullable=True))
    op.add_column("build", sa.Column("symbols_size", sa.BigInteger(), server_default="0", nullable=False))
    op.add_column("build", sa.Column("symbols_files", sa.Integer(), server_default="0", nullable=False))
    op.create_index("ix_build_title_profile", "build", ["title_id", "profile", "number"], unique=False)
    op.add_column("title", sa.Column("last_run", sa.Integer(), server_default="0", nullable=False))
    op.add_column("title", sa.Column("keep_newest", sa.Integer(), server_default="0", nullable=False))
    op.add_column("title", sa.Column("keep_days", sa.Integer(), server_default="0", nullable=False))


def downgrade() -> None:
    op.drop_column("title", "keep_days")
    op.drop_column("title", "keep_newest")
    op.drop_column("title", "last_run")
    op.drop_index("ix_build_title_profile", table_name="build")
    op.drop_column("build", "symbols_files")
    op.drop_column("build", "symbols_size")
    op.drop_column("build", "symbols")
    op.drop_column("build", "made_with")
    op.drop_column("build", "native")
    op.drop_column("build", "pinned")
    op.drop_column("build", "why")
    op.drop_column("build", "ref")
    op.drop_column("build", "commit")
    op.drop_column("build", "run")
    op.drop_table("run_step")
    op.drop_table("log_part")
    op.drop_table("log_kind")
    op.drop_index("ix_run_title_profile", table_name="run")
    op.drop_index("ix_run_open", table_name="run", postgresql_where=OPEN)
    op.drop_table("run")
    op.drop_table("trigger")
    op.drop_table("source")
    op.drop_table("folder")
    op.drop_table("agent")
    op.drop_table("environment")
    op.drop_table("call_seen")
    _queue(DROP)


DROP = """
drop table if exists procrastinate_events, procrastinate_periodic_defers, procrastinate_jobs, procrastinate_workers cascade;
do $$ declare made record; begin
  for made in select oid::regprocedure as name from pg_proc where proname like 'procrastinate%' loop
    execute 'drop function ' || made.name || ' cascade';
  end loop;
end $$;
drop type if exists procrastinate_job_status, procrastinate_job_event_type, procrastinate_job_to_defer_v1 cascade;
"""


def _queue(statements: str) -> None:
    """Many statements at once, past SQLAlchemy's own reading of percent signs and colons."""
    driver = op.get_bind().connection.driver_connection
    assert driver is not None
    driver.execute(statements)
