"""The studio's accounts at storefronts."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)
JSON = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    op.create_table(
        "storefront",
        sa.Column("name", sa.String(50), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("address", sa.String(500), nullable=False),
        sa.Column("title", sa.String(100), nullable=False),
        sa.Column("about", JSON, nullable=False),
        sa.Column("oauth", JSON, nullable=False),
        sa.Column("client_id", sa.String(200), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=True),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("studio", sa.String(200), nullable=False),
        sa.Column("scopes", JSON, nullable=False),
        sa.Column("until", TIME, nullable=True),
        sa.Column("connected_by", sa.String(200), nullable=False),
        sa.Column("connected_at", TIME, nullable=True),
        sa.Column("looked_at", TIME, nullable=True),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_storefront"),
        sa.UniqueConstraint("name", name="uq_storefront_name"),
    )
    op.create_table(
        "storefront_consent",
        sa.Column("storefront_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("until", TIME, nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_storefront_consent"),
        sa.ForeignKeyConstraint(
            ["storefront_id"], ["storefront.id"], name="fk_storefront_consent_storefront_id", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name="fk_storefront_consent_person_id", ondelete="CASCADE"
        ),
        sa.UniqueConstraint("digest", name="uq_storefront_consent_digest"),
    )


def downgrade() -> None:
    op.drop_table("storefront_consent")
    op.drop_table("storefront")
