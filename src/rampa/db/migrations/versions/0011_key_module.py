"""Signing identities whose key is in a key module."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("signing_identity", sa.Column("outside", sa.String(100), nullable=False, server_default=""))
    op.alter_column("signing_identity", "outside", server_default=None)


def downgrade() -> None:
    op.drop_column("signing_identity", "outside")
