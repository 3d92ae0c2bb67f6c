"""Scheduled placements, and channels that finished builds go to by themselves."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "scheduled_placement",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Uuid(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=True),
        sa.Column("release_id", sa.Uuid(), nullable=True),
        sa.Column("share", sa.Integer(), nullable=True),
        sa.Column("plan", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("at", TIME, nullable=True),
        sa.Column("person_id", sa.Uuid(), nullable=True),
        sa.Column("by", sa.String(200), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("looked_at", TIME, nullable=True),
        sa.Column("ended_at", TIME, nullable=True),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_scheduled_placement_title_id"),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name="fk_scheduled_placement_channel_id"),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name="fk_scheduled_placement_build_id"),
        sa.ForeignKeyConstraint(["release_id"], ["release.id"], name="fk_scheduled_placement_release_id"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_scheduled_placement_person_id"),
        sa.PrimaryKeyConstraint("id", name="pk_scheduled_placement"),
        sa.UniqueConstraint("title_id", "number", name="uq_scheduled_placement_title_id_number"),
    )
    op.create_index("ix_scheduled_placement_build_id", "scheduled_placement", ["build_id"])
    op.create_index("ix_scheduled_placement_state", "scheduled_placement", ["state"])
    op.add_column("trigger", sa.Column("place", sa.String(60), nullable=False, server_default=""))
    op.alter_column("trigger", "place", server_default=None)


def downgrade() -> None:
    op.drop_column("trigger", "place")
    op.drop_table("scheduled_placement")
