"""Rollouts: shares that grow by hand or by a plan, holding, going back; what each placement was from when on."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.execute("update placement set state = 'whole' where state = 'live'")
    op.add_column("placement", sa.Column("plan", postgresql.JSONB(astext_type=sa.Text()), nullable=True))
    op.add_column("placement", sa.Column("next_at", TIME, nullable=True))
    op.add_column("placement", sa.Column("held_at", TIME, nullable=True))
    op.add_column("placement", sa.Column("held_why", sa.Text(), nullable=False, server_default=""))
    op.add_column("placement", sa.Column("back", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("placement", "held_why", server_default=None)
    op.alter_column("placement", "back", server_default=None)
    op.create_index("ix_placement_next_at", "placement", ["next_at"])
    op.create_table(
        "placement_change",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("placement_id", sa.Uuid(), nullable=False),
        sa.Column("at", TIME, nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("share", sa.Integer(), nullable=False),
        sa.Column("by", sa.String(200), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["placement_id"], ["placement.id"], name="fk_placement_change_placement_id"),
        sa.PrimaryKeyConstraint("id", name="pk_placement_change"),
    )
    op.create_index("ix_placement_change_placement_id", "placement_change", ["placement_id"])
    op.create_index("ix_placement_change_at", "placement_change", ["at"])
    # What was placed before has a past, too: it was whole from the first moment to the last.
    op.execute(
        "insert into placement_change (id, placement_id, at, state, share, by, why) "
        "select gen_random_uuid(), id, created_at, 'whole', share, placed_by, '' from placement"
    )
    op.execute(
        "insert into placement_change (id, placement_id, at, state, share, by, why) "
        "select gen_random_uuid(), id, ended_at, state, share, '', '' from placement where ended_at is not null"
    )
    op.add_column("build_origin", sa.Column("content_of", sa.Integer(), nullable=False, server_default="0"))
    op.alter_column("build_origin", "content_of", server_default=None)
    op.add_column("device", sa.Column("number", sa.String(64), nullable=False, server_default=""))
    op.alter_column("device", "number", server_default=None)


def downgrade() -> None:
    op.drop_column("device", "number")
    op.drop_column("build_origin", "content_of")
    op.drop_table("placement_change")
    op.drop_index("ix_placement_next_at", "placement")
    for column in ("back", "held_why", "held_at", "next_at", "plan"):
        op.drop_column("placement", column)
    op.execute("update placement set state = 'live' where state in ('placed', 'growing', 'held', 'whole')")
