"""Who the studio is, its documents, and where its verification is: its own, and at each storefront."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0032"
down_revision = "0031"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)
JSONB = postgresql.JSONB(astext_type=sa.Text())
# A studio that was verified before anybody asked for documents stays so: what is public does not end with an upgrade.
KEPT = """
update studio set verification = jsonb_build_object(
  'state', case when verified then 'verified' else 'not-begun' end, 'since', to_jsonb(created_at),
  'needs', '["register"]'::jsonb, 'usual_days', 1, 'until', null, 'words', '[]'::jsonb)
"""


def upgrade() -> None:
    op.create_table(
        "studio_document",
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("media", sa.String(40), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(64), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("added_by", sa.String(200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_studio_document"),
        sa.UniqueConstraint("kind", name="uq_studio_document_kind"),
    )
    op.add_column("studio", sa.Column("facts", JSONB, nullable=False, server_default="{}"))
    op.add_column("studio", sa.Column("handed_in_by", sa.Uuid(), nullable=True))
    op.add_column("studio", sa.Column("verification", JSONB, nullable=True))
    op.execute(KEPT)
    op.alter_column("studio", "verification", nullable=False)
    op.alter_column("studio", "facts", server_default=None)
    op.drop_column("studio", "verified")
    op.add_column("storefront", sa.Column("verification", JSONB, nullable=True))


def downgrade() -> None:
    op.drop_column("storefront", "verification")
    op.add_column("studio", sa.Column("verified", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.execute("update studio set verified = (verification ->> 'state') = 'verified'")
    op.alter_column("studio", "verified", server_default=None)
    op.drop_column("studio", "verification")
    op.drop_column("studio", "handed_in_by")
    op.drop_column("studio", "facts")
    op.drop_table("studio_document")
