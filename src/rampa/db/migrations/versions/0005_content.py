"""Differences between builds; the upkeep of the content store."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "difference_set",
        sa.Column("new_id", sa.Uuid(), nullable=False),
        sa.Column("old_id", sa.Uuid(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("pack", sa.LargeBinary(), nullable=True),
        sa.Column("rows", sa.LargeBinary(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("seconds", sa.Float(), nullable=False),
        sa.Column("within", sa.Boolean(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["new_id"], ["build.id"], name=op.f("fk_difference_set_new_id_build")),
        sa.ForeignKeyConstraint(["old_id"], ["build.id"], name=op.f("fk_difference_set_old_id_build")),
        sa.PrimaryKeyConstraint("new_id", "old_id", name=op.f("pk_difference_set")),
    )
    op.create_table(
        "store_state",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("epoch", sa.Integer(), nullable=False),
        sa.Column("held_until", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_store_state")),
    )
    op.create_table(
        "store_check",
        sa.Column("id", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("mend", sa.Boolean(), nullable=False),
        sa.Column("cursor", sa.LargeBinary(), nullable=False),
        sa.Column("packs", sa.Integer(), nullable=False),
        sa.Column("packs_done", sa.Integer(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("size_done", sa.BigInteger(), nullable=False),
        sa.Column("problems", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("asked_by", sa.String(length=200), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_store_check")),
    )
    op.create_table(
        "content_key",
        sa.Column("id", sa.LargeBinary(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("depot", sa.String(length=60), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_content_key_build_id_build")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_content_key")),
    )
    op.create_index(op.f("ix_content_key_build_id"), "content_key", ["build_id"])
    op.create_table(
        "release_key",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("released_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("released_by", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_release_key_build_id_build")),
        sa.PrimaryKeyConstraint("build_id", name=op.f("pk_release_key")),
    )
    op.add_column("frame", sa.Column("key", sa.LargeBinary(), nullable=True))
    op.add_column("pack", sa.Column("condemned_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column(
        "depot",
        sa.Column("selector", postgresql.JSONB(astext_type=sa.Text()), server_default="{}", nullable=False),
    )


def downgrade() -> None:
    op.drop_column("depot", "selector")
    op.drop_column("pack", "condemned_at")
    op.drop_column("frame", "key")
    op.drop_table("release_key")
    op.drop_table("content_key")
    op.drop_table("store_check")
    op.drop_table("store_state")
    op.drop_table("difference_set")
