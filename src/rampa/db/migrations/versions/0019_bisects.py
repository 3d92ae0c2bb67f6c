"""Searches for a commit, and what attempts measure."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)
JSON = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    op.create_table(
        "bisect",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("profile", sa.String(60), nullable=False),
        sa.Column("by", sa.String(20), nullable=False),
        sa.Column("subject", sa.String(300), nullable=False),
        sa.Column("crash", sa.String(64), nullable=False),
        sa.Column("form", sa.String(40), nullable=False),
        sa.Column("limit", sa.Float(), nullable=True),
        sa.Column("good", sa.String(250), nullable=False),
        sa.Column("bad", sa.String(250), nullable=False),
        sa.Column("good_build_id", sa.Uuid(), nullable=True),
        sa.Column("commits", JSON, nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("started_by", sa.String(200), nullable=False),
        sa.Column("ended_at", TIME, nullable=True),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_bisect_title_id"),
        sa.ForeignKeyConstraint(["good_build_id"], ["build.id"], name="fk_bisect_good_build_id"),
        sa.PrimaryKeyConstraint("id", name="pk_bisect"),
        sa.UniqueConstraint("title_id", "number", name="uq_bisect_title_id_number"),
    )
    op.create_table(
        "bisect_trial",
        sa.Column("bisect_id", sa.Uuid(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("run_id", sa.Uuid(), nullable=True),
        sa.Column("again", sa.Boolean(), nullable=False),
        sa.Column("value", sa.Float(), nullable=True),
        sa.Column("said", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["bisect_id"], ["bisect.id"], name="fk_bisect_trial_bisect_id"),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name="fk_bisect_trial_run_id"),
        sa.PrimaryKeyConstraint("bisect_id", "position", name="pk_bisect_trial"),
    )
    op.create_index("ix_bisect_trial_run_id", "bisect_trial", ["run_id"])
    op.add_column("run_order", sa.Column("trial", JSON, nullable=True))
    op.add_column("run", sa.Column("measured", JSON, nullable=True))


def downgrade() -> None:
    op.drop_column("run", "measured")
    op.drop_column("run_order", "trial")
    op.drop_table("bisect_trial")
    op.drop_table("bisect")
