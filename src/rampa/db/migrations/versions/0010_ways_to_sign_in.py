"""Passkeys, sign-ins by a browser elsewhere, and people whom a provider vouches for."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "passkey",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(100), nullable=False),
        sa.Column("credential", sa.LargeBinary(), nullable=False),
        sa.Column("public_key", sa.LargeBinary(), nullable=False),
        sa.Column("uses", sa.BigInteger(), nullable=False),
        sa.Column("last_used_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_passkey_person_id"),
        sa.PrimaryKeyConstraint("id", name="pk_passkey"),
        sa.UniqueConstraint("credential", name="uq_passkey_credential"),
    )
    op.create_index("ix_passkey_person_id", "passkey", ["person_id"])
    op.create_table(
        "spent_challenge",
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("until", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("digest", name="pk_spent_challenge"),
    )
    op.create_table(
        "sign_in_request",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(100), nullable=False),
        sa.Column("address", sa.String(64), nullable=False),
        sa.Column("device_code", sa.LargeBinary(), nullable=False),
        sa.Column("user_code", sa.LargeBinary(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=True),
        sa.Column("allowed", sa.Boolean(), nullable=False),
        sa.Column("confirmed_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_sign_in_request_person_id"),
        sa.PrimaryKeyConstraint("id", name="pk_sign_in_request"),
        sa.UniqueConstraint("device_code", name="uq_sign_in_request_device_code"),
        sa.UniqueConstraint("user_code", name="uq_sign_in_request_user_code"),
    )
    op.add_column("person", sa.Column("provider_subject", sa.String(300), nullable=True))
    op.add_column("person", sa.Column("provider_seen_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("person", sa.Column("by_provider", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("person", "by_provider", server_default=None)
    op.create_unique_constraint("uq_person_provider_subject", "person", ["provider_subject"])


def downgrade() -> None:
    op.drop_constraint("uq_person_provider_subject", "person")
    for column in ("by_provider", "provider_seen_at", "provider_subject"):
        op.drop_column("person", column)
    for table in ("sign_in_request", "spent_challenge", "passkey"):
        op.drop_table(table)
