"""Listings: states, drafts, pictures, links that are looked at, affirmations of the rating."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)
JSON = postgresql.JSONB(astext_type=sa.Text())


def _table(name: str, *columns: sa.schema.SchemaItem) -> None:
    op.create_table(
        name,
        sa.Column("title_id", sa.Uuid(), nullable=False),
        *columns,
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name=f"pk_{name}"),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=f"fk_{name}_title_id"),
    )


def _files() -> list[sa.schema.SchemaItem]:
    return [sa.Column("texts", JSON, nullable=False), sa.Column("pictures", JSON, nullable=False)]


def _once(table: str, column: str) -> sa.UniqueConstraint:
    return sa.UniqueConstraint("title_id", column, name=f"uq_{table}_title_id_{column}")


def upgrade() -> None:
    _table(
        "listing",
        *_files(),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("message", sa.String(500), nullable=False),
        sa.Column("commit", sa.String(64), nullable=False),
        sa.Column("created_by", sa.String(200), nullable=False),
        _once("listing", "number"),
    )
    _table(
        "listing_draft",
        *_files(),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("base", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("saved_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_listing_draft_person_id"),
        _once("listing_draft", "person_id"),
    )
    _table(
        "listing_picture",
        sa.Column("digest", sa.String(64), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("form", sa.String(10), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("transparent", sa.Boolean(), nullable=False),
        _once("listing_picture", "digest"),
    )
    _table(
        "listing_link",
        sa.Column("address", sa.String(500), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("looked_at", TIME, nullable=True),
        sa.Column("failed_since", TIME, nullable=True),
        _once("listing_link", "address"),
    )
    _table(
        "affirmation",
        sa.Column("person", sa.String(200), nullable=False),
        sa.Column("answers", sa.LargeBinary(), nullable=False),
        sa.Column("said", JSON, nullable=False),
        sa.Column("content", JSON, nullable=False),
    )
    op.create_index("ix_affirmation_title_id", "affirmation", ["title_id"])


def downgrade() -> None:
    for table in ("affirmation", "listing_link", "listing_picture", "listing_draft", "listing"):
        op.drop_table(table)
