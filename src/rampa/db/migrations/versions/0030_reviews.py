"""The studio's own reviews, and what was said in them."""

import sqlalchemy as sa
from alembic import op

revision = "0030"
down_revision = "0029"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "review",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("channel_id", sa.Uuid(), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("notes", sa.Text(), nullable=False),
        sa.Column("made_by", sa.String(200), nullable=False),
        sa.Column("maker_id", sa.Uuid(), nullable=False),
        sa.Column("since", TIME, nullable=False),
        sa.Column("promised", TIME, nullable=False),
        sa.Column("moved_at", TIME, nullable=False),
        sa.Column("verdict_at", TIME, nullable=True),
        sa.Column("claimed_by", sa.String(200), nullable=False),
        sa.Column("claimant_id", sa.Uuid(), nullable=True),
        sa.Column("claim_until", TIME, nullable=True),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_review"),
        sa.UniqueConstraint("title_id", "number", name="uq_review_title_id_number"),
        *(
            sa.ForeignKeyConstraint([f"{noun}_id"], [f"{noun}.id"], name=f"fk_review_{noun}_id")
            for noun in ("title", "build", "channel")
        ),
    )
    op.create_index("ix_review_build_id", "review", ["build_id"])
    op.create_index("ix_review_queue", "review", ["state", "promised", "since"])
    op.create_table(
        "review_word",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("review_id", sa.Uuid(), nullable=False),
        sa.Column("at", TIME, nullable=False),
        sa.Column("by", sa.String(200), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("about", sa.String(200), nullable=False),
        sa.Column("reason", sa.String(40), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_review_word"),
        sa.ForeignKeyConstraint(["review_id"], ["review.id"], name="fk_review_word_review_id"),
    )
    op.create_index("ix_review_word_review_id", "review_word", ["review_id"])


def downgrade() -> None:
    op.drop_table("review_word")
    op.drop_table("review")
