"""Names that channels had."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    former = sa.Column("former", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="[]")
    op.add_column("channel", former)
    op.alter_column("channel", "former", server_default=None)


def downgrade() -> None:
    op.drop_column("channel", "former")
