"""Second factors of people; sessions and tokens know when theirs was last asked for."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "second_factor",
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("since", sa.DateTime(timezone=True), nullable=True),
        sa.Column("last_step", sa.BigInteger(), nullable=False),
        sa.Column("spare", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_second_factor_person_id"),
        sa.PrimaryKeyConstraint("person_id", name="pk_second_factor"),
    )
    op.add_column("person", sa.Column("second_factor", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("person", "second_factor", server_default=None)
    for table in ("token", "web_session"):
        op.add_column(table, sa.Column("confirmed_at", sa.DateTime(timezone=True), nullable=True))


def downgrade() -> None:
    for table in ("token", "web_session"):
        op.drop_column(table, "confirmed_at")
    op.drop_column("person", "second_factor")
    op.drop_table("second_factor")
