"""Packs know who may read them; a chunk may lie in several, for readers of several kinds."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("pack", sa.Column("visibility", sa.SmallInteger(), nullable=False, server_default="0"))
    op.alter_column("pack", "visibility", server_default=None)
    op.drop_constraint("pk_chunk", "chunk")
    op.create_primary_key("pk_chunk", "chunk", ["digest", "frame_id"])


def downgrade() -> None:
    copies = "delete from chunk c using chunk d where c.digest = d.digest and c.frame_id > d.frame_id"
    op.execute(copies)
    op.drop_constraint("pk_chunk", "chunk")
    op.create_primary_key("pk_chunk", "chunk", ["digest"])
    op.drop_column("pack", "visibility")
