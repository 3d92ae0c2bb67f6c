"""Testers: groups, invitations, access to channels; devices with keys of their own."""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "tester_group",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("seats", sa.Integer(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_tester_group"),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_tester_group_title_id"),
        sa.UniqueConstraint("title_id", "name", name="uq_tester_group_title_id_name"),
    )
    op.create_table(
        "group_member",
        sa.Column("group_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("since", TIME, nullable=False),
        sa.PrimaryKeyConstraint("group_id", "person_id", name="pk_group_member"),
        sa.ForeignKeyConstraint(["group_id"], ["tester_group.id"], name="fk_group_member_group_id", ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_group_member_person_id"),
    )
    op.create_index("ix_group_member_person_id", "group_member", ["person_id"])
    _invitations()
    _access()
    _devices()


def _invitations() -> None:
    op.create_table(
        "invitation",
        sa.Column("group_id", sa.Uuid(), nullable=False),
        sa.Column("email", sa.String(200), nullable=False),
        sa.Column("looked_up", sa.String(400), nullable=False),
        sa.Column("name", sa.String(100), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("turn", sa.Integer(), nullable=False),
        sa.Column("expires_at", TIME, nullable=False),
        sa.Column("sent_at", TIME, nullable=True),
        sa.Column("send_after", TIME, nullable=True),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("unsent", sa.String(200), nullable=False),
        sa.Column("invited_by", sa.String(200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_invitation"),
        sa.ForeignKeyConstraint(["group_id"], ["tester_group.id"], name="fk_invitation_group_id", ondelete="CASCADE"),
        sa.UniqueConstraint("group_id", "looked_up", name="uq_invitation_group_id_looked_up"),
    )
    op.create_index("ix_invitation_unsent", "invitation", ["state", "sent_at", "send_after"])


def _access() -> None:
    op.create_table(
        "channel_access",
        sa.Column("channel_id", sa.Uuid(), nullable=False),
        sa.Column("group_id", sa.Uuid(), nullable=True),
        sa.Column("person_id", sa.Uuid(), nullable=True),
        sa.Column("until", TIME, nullable=True),
        sa.Column("given_by", sa.String(200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_channel_access"),
        sa.CheckConstraint("(group_id is null) <> (person_id is null)", name="ck_channel_access_one"),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name="fk_channel_access_channel_id"),
        sa.ForeignKeyConstraint(
            ["group_id"], ["tester_group.id"], name="fk_channel_access_group_id", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_channel_access_person_id"),
        sa.UniqueConstraint("channel_id", "group_id", name="uq_channel_access_channel_id_group_id"),
        sa.UniqueConstraint("channel_id", "person_id", name="uq_channel_access_channel_id_person_id"),
    )
    op.create_index("ix_channel_access_group_id", "channel_access", ["group_id"])
    op.create_index("ix_channel_access_person_id", "channel_access", ["person_id"])


def _devices() -> None:
    op.add_column("device", sa.Column("person_id", sa.Uuid(), nullable=True))
    op.add_column("device", sa.Column("public_key", sa.LargeBinary(), nullable=True))
    for column in (
        sa.Column("uses", sa.BigInteger(), nullable=False, server_default="0"),
        sa.Column("form", sa.String(40), nullable=False, server_default=""),
        sa.Column("level", sa.String(40), nullable=False, server_default=""),
    ):
        op.add_column("device", column)
        op.alter_column("device", column.name, server_default=None)
    op.create_foreign_key("fk_device_person_id", "device", "person", ["person_id"], ["id"])
    op.create_index("ix_device_person_id", "device", ["person_id"])
    op.create_unique_constraint("uq_device_title_id_public_key", "device", ["title_id", "public_key"])
    op.create_table(
        "device_code",
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("channel_id", sa.Uuid(), nullable=False),
        sa.Column("expires_at", TIME, nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_device_code"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_device_code_person_id"),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name="fk_device_code_channel_id"),
        sa.UniqueConstraint("digest", name="uq_device_code_digest"),
    )
    op.create_table(
        "device_token",
        sa.Column("device_id", sa.Uuid(), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("expires_at", TIME, nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_device_token"),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name="fk_device_token_device_id", ondelete="CASCADE"),
        sa.UniqueConstraint("digest", name="uq_device_token_digest"),
    )
    op.create_index("ix_device_token_device_id", "device_token", ["device_id"])


def downgrade() -> None:
    op.drop_table("device_token")
    op.drop_table("device_code")
    op.drop_constraint("uq_device_title_id_public_key", "device")
    op.drop_index("ix_device_person_id", "device")
    op.drop_constraint("fk_device_person_id", "device")
    for name in ("person_id", "public_key", "uses", "form", "level"):
        op.drop_column("device", name)
    for table in ("channel_access", "invitation", "group_member", "tester_group"):
        op.drop_table(table)
