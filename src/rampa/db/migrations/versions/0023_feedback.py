"""Feedback of testers."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "feedback",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("device", sa.String(300), nullable=False),
        sa.Column("pictures", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("mended_build", sa.Integer(), nullable=False),
        sa.Column("mended_commit", sa.String(64), nullable=False),
        sa.Column("changed_at", TIME, nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_feedback"),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_feedback_title_id"),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name="fk_feedback_build_id"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_feedback_person_id"),
        sa.UniqueConstraint("title_id", "number", name="uq_feedback_title_id_number"),
    )
    op.create_index("ix_feedback_build_id", "feedback", ["build_id"])
    op.create_index("ix_feedback_person_id", "feedback", ["person_id"])
    op.create_index("ix_feedback_title_id_state", "feedback", ["title_id", "state", "number"])
    op.create_table(
        "feedback_word",
        sa.Column("feedback_id", sa.Uuid(), nullable=False),
        sa.Column("who", sa.String(200), nullable=False),
        sa.Column("by_studio", sa.Boolean(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_feedback_word"),
        sa.ForeignKeyConstraint(["feedback_id"], ["feedback.id"], name="fk_feedback_word_feedback_id"),
    )
    op.create_index("ix_feedback_word_feedback_id", "feedback_word", ["feedback_id"])


def downgrade() -> None:
    op.drop_table("feedback_word")
    op.drop_table("feedback")
