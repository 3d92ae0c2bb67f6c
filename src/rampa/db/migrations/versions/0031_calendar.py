"""The studio's calendar: agreements, reminders, feeds; when an account at a storefront ends."""

import sqlalchemy as sa
from alembic import op

revision = "0031"
down_revision = "0030"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "agreement",
        sa.Column("name", sa.String(100), nullable=False),
        sa.Column("partner", sa.String(100), nullable=False),
        sa.Column("ends_at", TIME, nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("made_by", sa.String(200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_agreement"),
        sa.UniqueConstraint("name", name="uq_agreement_name"),
    )
    op.create_table(
        "calendar_reminder",
        sa.Column("key", sa.String(200), nullable=False),
        sa.Column("ends_at", TIME, nullable=False),
        sa.Column("days", sa.Integer(), nullable=False),
        sa.Column("at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("key", "ends_at", "days", name="pk_calendar_reminder"),
    )
    op.create_table(
        "calendar_feed",
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("made_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("person_id", name="pk_calendar_feed"),
        sa.UniqueConstraint("digest", name="uq_calendar_feed_digest"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_calendar_feed_person_id", ondelete="CASCADE"),
    )
    op.add_column("storefront", sa.Column("ends_at", TIME, nullable=True))


def downgrade() -> None:
    op.drop_column("storefront", "ends_at")
    op.drop_table("calendar_feed")
    op.drop_table("calendar_reminder")
    op.drop_table("agreement")
