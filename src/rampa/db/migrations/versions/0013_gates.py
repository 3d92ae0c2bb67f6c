"""Gates of channels: their rules, approvals of builds, and what was waived."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    gates = sa.Column("gates", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default="[]")
    op.add_column("channel", gates)
    op.alter_column("channel", "gates", server_default=None)
    op.create_table(
        "build_approval",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("channel_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name="fk_build_approval_build_id"),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name="fk_build_approval_channel_id"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_build_approval_person_id"),
        sa.PrimaryKeyConstraint("build_id", "channel_id", "person_id", name="pk_build_approval"),
    )
    op.create_table(
        "gate_waiver",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("channel_id", sa.Uuid(), nullable=False),
        sa.Column("gate", sa.String(80), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("waived_by", sa.String(200), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name="fk_gate_waiver_build_id"),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name="fk_gate_waiver_channel_id"),
        sa.PrimaryKeyConstraint("build_id", "channel_id", "gate", name="pk_gate_waiver"),
    )


def downgrade() -> None:
    op.drop_table("gate_waiver")
    op.drop_table("build_approval")
    op.drop_column("channel", "gates")
