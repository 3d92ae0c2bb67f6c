"""Packs of what only past builds have."""

import sqlalchemy as sa
from alembic import op

revision = "0037"
down_revision = "0036"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("pack", sa.Column("past", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("pack", "past", server_default=None)


def downgrade() -> None:
    op.drop_column("pack", "past")
