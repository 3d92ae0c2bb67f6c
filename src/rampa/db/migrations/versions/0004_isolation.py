"""What an attempt's programs were kept apart by, and titles whose runs may go to agents that keep nothing apart."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("title", sa.Column("sandbox_needed", sa.Boolean(), nullable=False, server_default="true"))
    op.alter_column("title", "sandbox_needed", server_default=None)
    op.add_column("run_attempt", sa.Column("isolation", sa.String(length=20), nullable=False, server_default="none"))
    op.alter_column("run_attempt", "isolation", server_default=None)


def downgrade() -> None:
    op.drop_column("run_attempt", "isolation")
    op.drop_column("title", "sandbox_needed")
