"""What was signed for the inside of a build's package is kept: a build is signed once."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "inner_signature",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("sha256", sa.LargeBinary(), nullable=False),
        sa.Column("jar", sa.LargeBinary(), nullable=False),
        sa.Column("v2", sa.LargeBinary(), nullable=False),
        sa.Column("v3", sa.LargeBinary(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_inner_signature_build_id")),
        sa.PrimaryKeyConstraint("build_id", name=op.f("pk_inner_signature")),
    )


def downgrade() -> None:
    op.drop_table("inner_signature")
