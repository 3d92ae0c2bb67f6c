"""Packs for players: a build's layout, and which packs it is made of."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0035"
down_revision = "0034"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.add_column("pack", sa.Column("for_players", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("pack", "for_players", server_default=None)
    op.create_table(
        "layout",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("choice", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("content", sa.BigInteger(), nullable=False),
        sa.Column("done", sa.BigInteger(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("expected", sa.BigInteger(), nullable=False),
        sa.Column("note", sa.String(400), nullable=False),
        sa.Column("asked_by", sa.String(200), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.Column("started_at", TIME, nullable=True),
        sa.Column("ended_at", TIME, nullable=True),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name="fk_layout_build_id_build"),
        sa.PrimaryKeyConstraint("build_id", name="pk_layout"),
    )
    op.create_table(
        "layout_pack",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("pack_digest", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["build_id"], ["layout.build_id"], name="fk_layout_pack_build_id_layout", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["pack_digest"], ["pack.digest"], name="fk_layout_pack_pack_digest_pack", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("build_id", "pack_digest", name="pk_layout_pack"),
    )
    op.create_index("ix_layout_pack_pack_digest", "layout_pack", ["pack_digest"])


def downgrade() -> None:
    # What lies in packs for players lies in others, too: they go with the next collection.
    op.drop_index("ix_layout_pack_pack_digest", "layout_pack")
    op.drop_table("layout_pack")
    op.drop_table("layout")
    op.drop_column("pack", "for_players")
