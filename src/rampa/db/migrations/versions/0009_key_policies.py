"""What a signing identity may be used for, and who approved which run."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    policy = sa.Column("policy", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="{}")
    op.add_column("signing_identity", policy)
    op.alter_column("signing_identity", "policy", server_default=None)
    op.create_table(
        "run_approval",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name="fk_run_approval_run_id"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_run_approval_person_id"),
        sa.PrimaryKeyConstraint("run_id", "person_id", name="pk_run_approval"),
    )


def downgrade() -> None:
    op.drop_table("run_approval")
    op.drop_column("signing_identity", "policy")
