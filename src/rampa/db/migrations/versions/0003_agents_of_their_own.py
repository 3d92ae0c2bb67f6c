"""Agents are principals of their own: enrolled by a code, known by a key, with tokens of minutes.

Agents of before called with a person's token and have no key: they are forgotten, and are enrolled again.
"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("update run_attempt set agent_id = null")
    op.execute("delete from agent")
    op.execute("delete from token where role = 'agent'")
    op.execute("update person set role = 'viewer' where role = 'agent'")
    op.drop_constraint("fk_agent_person_id", "agent", type_="foreignkey")
    op.drop_column("agent", "person_id")
    op.add_column("agent", sa.Column("public_key", sa.LargeBinary(), nullable=False))
    op.add_column("agent", sa.Column("enrolled_by", sa.String(length=200), nullable=False))
    op.create_table(
        "enrolment",
        sa.Column("agent", sa.String(length=60), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("made_by", sa.String(length=200), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_enrolment")),
        sa.UniqueConstraint("agent", name=op.f("uq_enrolment_agent")),
    )
    op.create_table(
        "agent_token",
        sa.Column("agent_id", sa.Uuid(), nullable=False),
        sa.Column("instance", sa.String(length=64), nullable=False),
        sa.Column("nonce", sa.String(length=64), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["agent_id"], ["agent.id"], name=op.f("fk_agent_token_agent_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_agent_token")),
        sa.UniqueConstraint("nonce", name=op.f("uq_agent_token_nonce")),
        sa.UniqueConstraint("digest", name=op.f("uq_agent_token_digest")),
    )
    op.create_index(op.f("ix_agent_token_agent_id"), "agent_token", ["agent_id"], unique=False)
    # What was answered to a person is still found: a person's number is their principal's.
    op.drop_constraint("fk_idempotent_answer_person_id", "idempotent_answer", type_="foreignkey")
    op.alter_column("idempotent_answer", "person_id", new_column_name="principal")
    op.execute(
        "alter table idempotent_answer rename constraint uq_idempotent_answer_person_id_key"
        " to uq_idempotent_answer_principal_key"
    )


def downgrade() -> None:
    op.execute("delete from idempotent_answer")
    op.execute(
        "alter table idempotent_answer rename constraint uq_idempotent_answer_principal_key"
        " to uq_idempotent_answer_person_id_key"
    )
    op.alter_column("idempotent_answer", "principal", new_column_name="person_id")
    op.create_foreign_key("fk_idempotent_answer_person_id", "idempotent_answer", "person", ["person_id"], ["id"])
    op.drop_table("agent_token")
    op.drop_table("enrolment")
    op.execute("update run_attempt set agent_id = null")
    op.execute("delete from agent")
    op.drop_column("agent", "enrolled_by")
    op.drop_column("agent", "public_key")
    op.add_column("agent", sa.Column("person_id", sa.Uuid(), nullable=False))
    op.create_foreign_key("fk_agent_person_id", "agent", "person", ["person_id"], ["id"])
