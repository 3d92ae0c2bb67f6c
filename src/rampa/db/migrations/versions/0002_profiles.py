"""Drafts of profile documents; documents that a source repository owns."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "draft",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("base", sa.Integer(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("saved_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_draft_person_id")),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_draft_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_draft")),
        sa.UniqueConstraint("title_id", "person_id", name=op.f("uq_draft_title_id_person_id")),
    )
    op.add_column("revision", sa.Column("commit", sa.String(length=64), server_default="", nullable=False))
    op.add_column("title", sa.Column("source", sa.String(length=300), server_default="", nullable=False))
    op.add_column("title", sa.Column("source_path", sa.String(length=300), server_default="", nullable=False))


def downgrade() -> None:
    op.drop_column("title", "source_path")
    op.drop_column("title", "source")
    op.drop_column("revision", "commit")
    op.drop_table("draft")
