"""Submissions, and checks of the studio's own."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0029"
down_revision = "0028"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)
JSON = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    op.create_table(
        "submission",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("release_id", sa.Uuid(), nullable=True),
        sa.Column("storefront", sa.String(50), nullable=False),
        sa.Column("platform", sa.String(40), nullable=False),
        sa.Column("course", sa.String(20), nullable=False),
        sa.Column("state", sa.String(20), nullable=True),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("code", sa.String(60), nullable=False),
        sa.Column("asked", JSON, nullable=False),
        sa.Column("listing", sa.Integer(), nullable=False),
        sa.Column("changed", JSON, nullable=False),
        sa.Column("going", sa.String(20), nullable=False),
        sa.Column("going_at", TIME, nullable=True),
        sa.Column("together", sa.Uuid(), nullable=True),
        sa.Column("replaces_id", sa.Uuid(), nullable=True),
        sa.Column("hand_in", sa.String(500), nullable=False),
        sa.Column("upload", sa.String(40), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("sent", sa.BigInteger(), nullable=False),
        sa.Column("begun_sent", sa.BigInteger(), nullable=False),
        sa.Column("begun_at", TIME, nullable=True),
        sa.Column("progress_at", TIME, nullable=True),
        sa.Column("again", sa.Integer(), nullable=False),
        sa.Column("there_id", sa.String(40), nullable=False),
        sa.Column("seen", JSON, nullable=True),
        sa.Column("set_back", sa.Text(), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("next_at", TIME, nullable=True),
        sa.Column("looked_at", TIME, nullable=True),
        sa.Column("moved_at", TIME, nullable=False),
        sa.Column("arrived_at", TIME, nullable=True),
        sa.Column("made_by", sa.String(200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_submission"),
        sa.UniqueConstraint("title_id", "number", name="uq_submission_title_id_number"),
        *(
            sa.ForeignKeyConstraint([f"{noun}_id"], [f"{noun}.id"], name=f"fk_submission_{noun}_id")
            for noun in ("title", "build", "release")
        ),
        sa.ForeignKeyConstraint(["replaces_id"], ["submission.id"], name="fk_submission_replaces_id"),
    )
    op.create_index("ix_submission_build_id", "submission", ["build_id"])
    op.create_index("ix_submission_next_at", "submission", ["next_at"])
    op.create_index("ix_submission_there_id", "submission", ["there_id"])
    op.create_index("ix_submission_place", "submission", ["storefront", "title_id"])
    op.add_column("placement", sa.Column("submission_id", sa.Uuid(), nullable=True))
    op.create_index("ix_placement_submission_id", "placement", ["submission_id"])
    op.create_foreign_key("fk_placement_submission_id", "placement", "submission", ["submission_id"], ["id"])
    op.create_table(
        "studio_rule",
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("rule", JSON, nullable=False),
        sa.Column("made_of", sa.String(300), nullable=False),
        sa.Column("made_by", sa.String(200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_studio_rule"),
        sa.UniqueConstraint("name", name="uq_studio_rule_name"),
    )


def downgrade() -> None:
    op.drop_table("studio_rule")
    op.drop_constraint("fk_placement_submission_id", "placement")
    op.drop_index("ix_placement_submission_id", "placement")
    op.drop_column("placement", "submission_id")
    op.drop_table("submission")
