"""Play sign-offs: checklists, what testers ticked, their pictures."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def _identified(table: str) -> list[sa.schema.SchemaItem]:
    return [
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name=f"pk_{table}"),
    ]


def _to(table: str, column: str, other: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f"{other}.id"], name=f"fk_{table}_{column}")


def upgrade() -> None:
    op.create_table(
        "checklists",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("commit", sa.String(64), nullable=False),
        sa.Column("created_by", sa.String(200), nullable=False),
        *_identified("checklists"),
        _to("checklists", "title_id", "title"),
        sa.UniqueConstraint("title_id", "number", name="uq_checklists_title_id_number"),
    )
    op.create_table(
        "sign_off",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("checklist", sa.String(60), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("ticks", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("checklists", sa.Integer(), nullable=False),
        sa.Column("device", sa.String(200), nullable=False),
        sa.Column("changed_at", TIME, nullable=False),
        sa.Column("finished_at", TIME, nullable=True),
        *_identified("sign_off"),
        _to("sign_off", "build_id", "build"),
        _to("sign_off", "person_id", "person"),
        sa.UniqueConstraint("build_id", "checklist", "person_id", name="uq_sign_off_build_id_checklist_person_id"),
    )
    op.create_index("ix_sign_off_person_id", "sign_off", ["person_id"])
    op.create_table(
        "tester_picture",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        *_identified("tester_picture"),
        _to("tester_picture", "title_id", "title"),
        _to("tester_picture", "person_id", "person"),
    )
    op.create_index("ix_tester_picture_title_id", "tester_picture", ["title_id"])
    op.create_index("ix_tester_picture_person_id", "tester_picture", ["person_id"])


def downgrade() -> None:
    for table in ("tester_picture", "sign_off", "checklists"):
        op.drop_table(table)
