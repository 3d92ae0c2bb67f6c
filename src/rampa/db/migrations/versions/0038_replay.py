"""Replays: what releases would have cost under other rules."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0038"
down_revision = "0037"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "replay",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("asked", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("builds", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("releases", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("measured", sa.LargeBinary(), nullable=False),
        sa.Column("total", sa.BigInteger(), nullable=False),
        sa.Column("done", sa.BigInteger(), nullable=False),
        sa.Column("note", sa.String(400), nullable=False),
        sa.Column("asked_by", sa.String(200), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.Column("started_at", TIME, nullable=True),
        sa.Column("ended_at", TIME, nullable=True),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_replay_title_id_title"),
        sa.PrimaryKeyConstraint("id", name="pk_replay"),
        sa.UniqueConstraint("title_id", "number", name="uq_replay_title_id_number"),
    )


def downgrade() -> None:
    op.drop_table("replay")
