"""Crashes: each one, the distinct stacks, the groups of the same place."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "crash_group",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("place", sa.String(600), nullable=False),
        sa.Column("reason", sa.String(40), nullable=False),
        sa.Column("first_build_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_crash_group_title_id"),
        sa.ForeignKeyConstraint(["first_build_id"], ["build.id"], name="fk_crash_group_first_build_id"),
        sa.PrimaryKeyConstraint("id", name="pk_crash_group"),
        sa.UniqueConstraint("title_id", "number", name="uq_crash_group_title_id_number"),
        sa.UniqueConstraint("title_id", "key", name="uq_crash_group_title_id_key"),
    )
    op.create_table(
        "crash_stack",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("report", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("frames", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("group_id", sa.Uuid(), nullable=True),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_crash_stack_title_id"),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name="fk_crash_stack_build_id"),
        sa.ForeignKeyConstraint(["group_id"], ["crash_group.id"], name="fk_crash_stack_group_id"),
        sa.PrimaryKeyConstraint("id", name="pk_crash_stack"),
        sa.UniqueConstraint("build_id", "digest", name="uq_crash_stack_build_id_digest"),
    )
    op.create_index("ix_crash_stack_group_id", "crash_stack", ["group_id"])
    op.create_table(
        "crash",
        sa.Column("id", sa.BigInteger(), sa.Identity(), nullable=False),
        sa.Column("stack_id", sa.Uuid(), nullable=False),
        sa.Column("device", sa.String(64), nullable=False),
        sa.Column("at", TIME, nullable=False),
        sa.Column("form", sa.String(40), nullable=False),
        sa.Column("level", sa.String(40), nullable=False),
        sa.Column("simulated", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["stack_id"], ["crash_stack.id"], name="fk_crash_stack_id"),
        sa.PrimaryKeyConstraint("id", name="pk_crash"),
    )
    op.create_index("ix_crash_stack_id_at", "crash", ["stack_id", "at"])
    op.create_index("ix_crash_at", "crash", ["at"])


def downgrade() -> None:
    op.drop_table("crash")
    op.drop_table("crash_stack")
    op.drop_table("crash_group")
