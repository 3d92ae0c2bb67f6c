"""How fast devices unpack."""

import sqlalchemy as sa
from alembic import op

revision = "0039"
down_revision = "0038"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("device", sa.Column("unpacks", sa.Float(), nullable=False, server_default="0"))
    op.alter_column("device", "unpacks", server_default=None)


def downgrade() -> None:
    op.drop_column("device", "unpacks")
