"""Version codes per storefront; unlocked identities, certificates that storefronts know, grants; what bundles say."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "binding",
        sa.Column("identifier", sa.String(length=200), nullable=False),
        sa.Column("place", sa.String(length=40), nullable=False),
        sa.Column("fingerprint", sa.String(length=64), nullable=False),
        sa.Column("build", sa.String(length=100), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_binding")),
        sa.UniqueConstraint("identifier", "place", name=op.f("uq_binding_identifier_place")),
    )
    op.create_table(
        "grant",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("identifier", sa.String(length=200), nullable=False),
        sa.Column("purpose", sa.String(length=20), nullable=False),
        sa.Column("identity_id", sa.Uuid(), nullable=False),
        sa.Column("devices", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("signed", sa.LargeBinary(), nullable=False),
        sa.Column("created_by", sa.String(length=200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["identity_id"], ["signing_identity.id"], name=op.f("fk_grant_identity_id")),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_grant_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_grant")),
        sa.UniqueConstraint("title_id", "number", name=op.f("uq_grant_title_id_number")),
    )
    op.create_table(
        "symbol_file",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("path", sa.String(length=1100), nullable=False),
        sa.Column("ident", sa.String(length=130), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_symbol_file_build_id")),
        sa.PrimaryKeyConstraint("build_id", "path", name=op.f("pk_symbol_file")),
    )
    op.create_index(op.f("ix_symbol_file_ident"), "symbol_file", ["ident"], unique=False)
    op.create_table(
        "unlock",
        sa.Column("identity_id", sa.Uuid(), nullable=False),
        sa.Column("run_id", sa.Uuid(), nullable=True),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("unlocked_by", sa.String(length=200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["identity_id"], ["signing_identity.id"], name=op.f("fk_unlock_identity_id")),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_unlock_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_unlock")),
    )
    op.create_index(op.f("ix_unlock_identity_id"), "unlock", ["identity_id"], unique=False)
    op.add_column("build", sa.Column("provenance", sa.LargeBinary(), nullable=True))
    op.add_column("build", sa.Column("grant", sa.Integer(), server_default="0", nullable=False))
    op.add_column("bundle", sa.Column("kind", sa.String(length=20), server_default="zip", nullable=False))
    op.add_column(
        "bundle", sa.Column("read_back", postgresql.JSONB(astext_type=sa.Text()), server_default="{}", nullable=False)
    )
    op.add_column("bundle", sa.Column("bare", sa.String(length=64), server_default="", nullable=False))
    op.add_column("reservation", sa.Column("storefront", sa.String(length=40), server_default="", nullable=False))
    op.add_column("reservation", sa.Column("version_name", sa.String(length=64), server_default="", nullable=False))
    op.add_column("reservation", sa.Column("origin", sa.String(length=20), server_default="build", nullable=False))
    op.add_column("reservation", sa.Column("note", sa.String(length=300), server_default="", nullable=False))
    op.add_column("reservation", sa.Column("created_by", sa.String(length=200), server_default="", nullable=False))
    op.alter_column("reservation", "code", existing_type=sa.INTEGER(), type_=sa.BigInteger(), existing_nullable=False)
    op.alter_column("reservation", "build_id", existing_type=sa.UUID(), nullable=True)
    op.drop_constraint(op.f("uq_reservation_identifier_platform_code"), "reservation")
    op.create_unique_constraint(
        op.f("uq_reservation_line"), "reservation", ["identifier", "storefront", "platform", "code"]
    )
    op.create_index(
        "uq_reservation_storefront",
        "reservation",
        ["identifier", "storefront", "code"],
        unique=True,
        postgresql_where=sa.text("storefront <> ''"),
    )
    op.add_column("run", sa.Column("identity", sa.String(length=60), server_default="", nullable=False))
    op.add_column("run", sa.Column("commits", sa.Integer(), server_default="0", nullable=False))
    op.add_column("run", sa.Column("reproduces", sa.Integer(), server_default="0", nullable=False))
    op.add_column(
        "signing_identity", sa.Column("origin", sa.String(length=10), server_default="imported", nullable=False)
    )
    op.add_column("signing_identity", sa.Column("protected", sa.Boolean(), server_default="false", nullable=False))
    op.add_column("signing_identity", sa.Column("not_before", sa.DateTime(timezone=True), nullable=True))
    op.add_column("signing_identity", sa.Column("last_used_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("signing_identity", sa.Column("exported_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("signing_identity", sa.Column("backed_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("signing_identity", sa.Column("backed_by", sa.String(length=200), server_default="", nullable=False))
    op.add_column("signing_identity", sa.Column("lineage", sa.LargeBinary(), nullable=True))
    op.add_column("signing_identity", sa.Column("predecessor", sa.String(length=60), server_default="", nullable=False))


def downgrade() -> None:
    op.drop_column("signing_identity", "predecessor")
    op.drop_column("signing_identity", "lineage")
    op.drop_column("signing_identity", "backed_by")
    op.drop_column("signing_identity", "backed_at")
    op.drop_column("signing_identity", "exported_at")
    op.drop_column("signing_identity", "last_used_at")
    op.drop_column("signing_identity", "not_before")
    op.drop_column("signing_identity", "protected")
    op.drop_column("signing_identity", "origin")
    op.drop_column("run", "reproduces")
    op.drop_column("run", "commits")
    op.drop_column("run", "identity")
    op.drop_constraint(op.f("uq_reservation_line"), "reservation")
    op.drop_index("uq_reservation_storefront", table_name="reservation", postgresql_where=sa.text("storefront <> ''"))
    op.execute("delete from reservation where build_id is null")
    op.alter_column("reservation", "build_id", existing_type=sa.UUID(), nullable=False)
    op.alter_column("reservation", "code", existing_type=sa.BigInteger(), type_=sa.INTEGER(), existing_nullable=False)
    op.drop_column("reservation", "created_by")
    op.drop_column("reservation", "note")
    op.drop_column("reservation", "origin")
    op.drop_column("reservation", "version_name")
    op.drop_column("reservation", "storefront")
    unique = op.f("uq_reservation_identifier_platform_code")
    op.create_unique_constraint(unique, "reservation", ["identifier", "platform", "code"])
    op.drop_column("bundle", "bare")
    op.drop_column("bundle", "read_back")
    op.drop_column("bundle", "kind")
    op.drop_column("build", "grant")
    op.drop_column("build", "provenance")
    op.drop_index(op.f("ix_unlock_identity_id"), table_name="unlock")
    op.drop_table("unlock")
    op.drop_index(op.f("ix_symbol_file_ident"), table_name="symbol_file")
    op.drop_table("symbol_file")
    op.drop_table("grant")
    op.drop_table("binding")
