"""What devices say of their choice of depots and of their line."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0036"
down_revision = "0035"
branch_labels = None
depends_on = None

JSONB = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    op.add_column("device", sa.Column("depots", JSONB, nullable=False, server_default="[]"))
    op.add_column("device", sa.Column("rate", sa.Float(), nullable=False, server_default="0"))
    op.alter_column("device", "depots", server_default=None)
    op.alter_column("device", "rate", server_default=None)


def downgrade() -> None:
    op.drop_column("device", "rate")
    op.drop_column("device", "depots")
