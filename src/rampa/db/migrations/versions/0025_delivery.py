"""Trust: a title's roots, keys and signed metadata. Delivery: its files by name, and the origins where they lie."""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "trust",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("change", sa.Integer(), nullable=False),
        sa.Column("marker", sa.String(64), nullable=False),
        sa.Column("published_at", TIME, nullable=True),
        sa.Column("trouble", sa.Text(), nullable=False),
        sa.Column("told", sa.String(200), nullable=False),
        sa.PrimaryKeyConstraint("title_id", name="pk_trust"),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_trust_title_id"),
    )
    op.create_table(
        "trust_root",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.Column("published_by", sa.String(200), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("title_id", "version", name="pk_trust_root"),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_trust_root_title_id"),
    )
    op.create_table(
        "trust_key",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("role", sa.String(20), nullable=False),
        sa.Column("waiting", sa.Boolean(), nullable=False),
        sa.Column("public", sa.LargeBinary(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("title_id", "role", "waiting", name="pk_trust_key"),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_trust_key_title_id"),
    )
    op.create_table(
        "trust_part",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("role", sa.String(60), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("expires_at", TIME, nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("title_id", "role", name="pk_trust_part"),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_trust_part_title_id"),
    )
    _files()
    _origins()


def _files() -> None:
    op.create_table(
        "delivery_file",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("channel_id", sa.Uuid(), nullable=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=True),
        sa.Column("change", sa.Integer(), nullable=False),
        sa.Column("everybody", sa.Boolean(), nullable=False),
        sa.Column("gone_at", TIME, nullable=True),
        sa.Column("over", sa.Boolean(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_delivery_file"),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_delivery_file_title_id"),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name="fk_delivery_file_channel_id", ondelete="CASCADE"),
        sa.UniqueConstraint(
            "title_id",
            "channel_id",
            "name",
            name="uq_delivery_file_title_id_channel_id_name",
            postgresql_nulls_not_distinct=True,
        ),
    )
    op.create_index("ix_delivery_file_channel_id", "delivery_file", ["channel_id"])
    op.create_index("ix_delivery_file_change", "delivery_file", ["title_id", "change"])
    op.create_index("ix_delivery_file_name", "delivery_file", ["title_id", "name"])


def _origins() -> None:
    op.create_table(
        "delivery_origin",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("address", sa.String(1000), nullable=False),
        sa.Column("priority", sa.Integer(), nullable=False),
        sa.Column("paused", sa.Boolean(), nullable=False),
        sa.Column("made_by", sa.String(200), nullable=False),
        sa.Column("looked_at", TIME, nullable=True),
        sa.Column("good_at", TIME, nullable=True),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_delivery_origin"),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_delivery_origin_title_id"),
        sa.UniqueConstraint("title_id", "name", name="uq_delivery_origin_title_id_name"),
    )


def downgrade() -> None:
    for table in ("delivery_origin", "delivery_file", "trust_part", "trust_key", "trust_root", "trust"):
        op.drop_table(table)
