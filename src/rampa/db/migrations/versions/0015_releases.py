"""Releases: builds of one version over platforms, lines that were left out, notes."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "release",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("version_name", sa.String(64), nullable=False),
        sa.Column("purpose", sa.String(20), nullable=False),
        sa.Column("created_by", sa.String(200), nullable=False),
        sa.Column("notes_version", sa.Integer(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_release_title_id"),
        sa.PrimaryKeyConstraint("id", name="pk_release"),
        sa.UniqueConstraint("title_id", "number", name="uq_release_title_id_number"),
    )
    of_release = ["release_id"], ["release.id"]
    op.create_table(
        "release_build",
        sa.Column("release_id", sa.Uuid(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("storefront", sa.String(40), nullable=False),
        sa.Column("added_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(*of_release, name="fk_release_build_release_id"),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name="fk_release_build_build_id"),
        sa.PrimaryKeyConstraint("release_id", "build_id", name="pk_release_build"),
    )
    op.create_index("ix_release_build_build_id", "release_build", ["build_id"])
    op.create_table(
        "release_left_out",
        sa.Column("release_id", sa.Uuid(), nullable=False),
        sa.Column("platform", sa.String(40), nullable=False),
        sa.Column("storefront", sa.String(40), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("by", sa.String(200), nullable=False),
        sa.Column("at", TIME, nullable=False),
        sa.ForeignKeyConstraint(*of_release, name="fk_release_left_out_release_id"),
        sa.PrimaryKeyConstraint("release_id", "platform", "storefront", name="pk_release_left_out"),
    )
    op.create_table(
        "release_note",
        sa.Column("release_id", sa.Uuid(), nullable=False),
        sa.Column("audience", sa.String(20), nullable=False),
        sa.Column("language", sa.String(35), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("by", sa.String(200), nullable=False),
        sa.Column("at", TIME, nullable=False),
        sa.ForeignKeyConstraint(*of_release, name="fk_release_note_release_id"),
        sa.PrimaryKeyConstraint("release_id", "audience", "language", name="pk_release_note"),
    )
    op.add_column("placement", sa.Column("release_id", sa.Uuid(), nullable=True))
    op.create_foreign_key("fk_placement_release_id", "placement", "release", ["release_id"], ["id"])
    op.create_index("ix_placement_release_id", "placement", ["release_id"])


def downgrade() -> None:
    op.drop_column("placement", "release_id")
    for table in ("release_note", "release_left_out", "release_build", "release"):
        op.drop_table(table)
