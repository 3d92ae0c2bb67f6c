"""Differences between builds; the upkeep of the content store."""

import sqlalchemy as sa
from alembic import op

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


def downgrade() -> None:
    op.drop_table("difference_set")
