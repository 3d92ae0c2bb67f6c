"""Tries at passwords and passphrases are counted in the database: every process of the service counts the same."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "guess",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("account", sa.String(length=200), nullable=False),
        sa.Column("address", sa.String(length=64), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_guess")),
    )
    op.create_index("ix_guess_account", "guess", ["kind", "account", "at"], unique=False)
    op.create_index("ix_guess_address", "guess", ["kind", "address", "at"], unique=False)


def downgrade() -> None:
    op.drop_table("guess")
