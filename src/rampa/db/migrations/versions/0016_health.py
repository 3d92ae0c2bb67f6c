"""What devices report of builds, and how a placement's health stands."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "health_batch",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("device", sa.String(64), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_health_batch_title_id"),
        sa.PrimaryKeyConstraint("title_id", "device", "number", name="pk_health_batch"),
    )
    op.create_index("ix_health_batch_at", "health_batch", ["at"])
    op.create_table(
        "health_event",
        sa.Column("id", sa.BigInteger(), sa.Identity(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("device", sa.String(64), nullable=False),
        sa.Column("at", TIME, nullable=False),
        sa.Column("received_at", TIME, nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("bad", sa.Boolean(), nullable=False),
        sa.Column("cause", sa.String(60), nullable=False),
        sa.Column("seconds", sa.Float(), nullable=False),
        sa.Column("form", sa.String(40), nullable=False),
        sa.Column("level", sa.String(40), nullable=False),
        sa.Column("turn", sa.Integer(), nullable=False),
        sa.Column("simulated", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name="fk_health_event_build_id"),
        sa.PrimaryKeyConstraint("id", name="pk_health_event"),
    )
    op.create_index("ix_health_event_build_received", "health_event", ["build_id", "received_at"])
    op.create_index("ix_health_event_device", "health_event", ["build_id", "device", "kind"])
    op.add_column("placement", sa.Column("verdict", sa.String(20), nullable=True))
    op.add_column("placement", sa.Column("health_said", sa.Text(), nullable=False, server_default=""))
    op.add_column("placement", sa.Column("health_at", TIME, nullable=True))
    op.alter_column("placement", "health_said", server_default=None)
    op.add_column("title", sa.Column("reports", sa.String(64), nullable=True))
    # Not a secret: it stands in every offer, and keeps reports of one title's devices out of another's.
    op.execute("update title set reports = replace(gen_random_uuid()::text, '-', '')")
    op.alter_column("title", "reports", nullable=False)


def downgrade() -> None:
    op.drop_column("title", "reports")
    for column in ("health_at", "health_said", "verdict"):
        op.drop_column("placement", column)
    op.drop_table("health_event")
    op.drop_table("health_batch")
