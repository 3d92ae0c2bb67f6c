"""Roles of people at single titles."""

import sqlalchemy as sa
from alembic import op

revision = "0033"
down_revision = "0032"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "title_role",
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("role", sa.String(20), nullable=False),
        sa.Column("given_by", sa.String(200), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("person_id", "title_id", name="pk_title_role"),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name="fk_title_role_person_id_person", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_title_role_title_id_title", ondelete="CASCADE"),
    )


def downgrade() -> None:
    op.drop_table("title_role")
