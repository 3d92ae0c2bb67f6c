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
        sa.PrimaryKeyConstraint("id", name=op.f("pk_store_state")),
    )
    op.add_column(
        "depot",
        sa.Column("selector", postgresql.JSONB(astext_type=sa.Text()), server_default="{}", nullable=False),
    )


def downgrade() -> None:
    op.drop_column("depot", "selector")
    op.drop_table("store_state")
    op.drop_table("difference_set")
