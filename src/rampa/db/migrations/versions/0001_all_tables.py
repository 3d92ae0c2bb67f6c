"""All tables, and the job queue's own."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    _queue(SchemaManager.get_schema())
    op.create_table(
        "audit_event",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("who", sa.String(length=200), nullable=False),
        sa.Column("act", sa.String(length=60), nullable=False),
        sa.Column("subject", sa.String(length=200), nullable=False),
        sa.Column("title", sa.String(length=60), nullable=True),
        sa.Column("detail", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("request_id", sa.String(length=64), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_audit_event")),
    )
    op.create_index("ix_audit_event_at", "audit_event", ["at"], unique=False)
    op.create_index("ix_audit_event_title_id", "audit_event", ["title", "id"], unique=False)
    op.create_index("ix_audit_event_who_id", "audit_event", ["who", "id"], unique=False)
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
        "call_seen",
        sa.Column("signature", sa.String(length=100), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("signature", name=op.f("pk_call_seen")),
    )
    op.create_table(
        "pack",
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("condemned_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("digest", name=op.f("pk_pack")),
    )
    op.create_table(
        "person",
        sa.Column("name", sa.String(length=100), nullable=False),
        sa.Column("email", sa.String(length=200), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("password_hash", sa.String(length=200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person")),
        sa.UniqueConstraint("email", name=op.f("uq_person_email")),
    )
    op.create_table(
        "signing_identity",
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("subject", sa.String(length=300), nullable=False),
        sa.Column("fingerprint", sa.String(length=64), nullable=False),
        sa.Column("certificate", sa.Text(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("not_after", sa.DateTime(timezone=True), nullable=False),
        sa.Column("created_by", sa.String(length=200), nullable=False),
        sa.Column("used", sa.Integer(), nullable=False),
        sa.Column("origin", sa.String(length=10), nullable=False),
        sa.Column("protected", sa.Boolean(), nullable=False),
        sa.Column("not_before", sa.DateTime(timezone=True), nullable=True),
        sa.Column("last_used_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("exported_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("backed_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("backed_by", sa.String(length=200), nullable=False),
        sa.Column("succession", sa.LargeBinary(), nullable=True),
        sa.Column("predecessor", sa.String(length=60), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_signing_identity")),
        sa.UniqueConstraint("name", name=op.f("uq_signing_identity_name")),
    )
    op.create_table(
        "step_variables",
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("variables", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("secrets", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("changed_by", sa.String(length=200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_step_variables")),
        sa.UniqueConstraint("name", name=op.f("uq_step_variables_name")),
    )
    op.create_table(
        "store_check",
        sa.Column("id", sa.Integer(), autoincrement=True, nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("fix", sa.Boolean(), nullable=False),
        sa.Column("cursor", sa.LargeBinary(), nullable=False),
        sa.Column("packs", sa.Integer(), nullable=False),
        sa.Column("packs_done", sa.Integer(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("size_done", sa.BigInteger(), nullable=False),
        sa.Column("problems", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("asked_by", sa.String(length=200), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_store_check")),
    )
    op.create_table(
        "store_state",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("epoch", sa.Integer(), nullable=False),
        sa.Column("held_until", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_store_state")),
    )
    op.create_table(
        "studio",
        sa.Column("name", sa.String(length=100), nullable=False),
        sa.Column("verified", sa.Boolean(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_studio")),
    )
    op.create_table(
        "title",
        sa.Column("slug", sa.String(length=60), nullable=False),
        sa.Column("name", sa.String(length=100), nullable=False),
        sa.Column("identifier", sa.String(length=200), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("last_build", sa.Integer(), nullable=False),
        sa.Column("last_run", sa.Integer(), nullable=False),
        sa.Column("keep_newest", sa.Integer(), nullable=False),
        sa.Column("keep_days", sa.Integer(), nullable=False),
        sa.Column("manifest_public", sa.LargeBinary(), nullable=False),
        sa.Column("manifest_sealed", sa.LargeBinary(), nullable=False),
        sa.Column("source", sa.String(length=300), nullable=False),
        sa.Column("source_path", sa.String(length=300), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_title")),
        sa.UniqueConstraint("identifier", name=op.f("uq_title_identifier")),
        sa.UniqueConstraint("slug", name=op.f("uq_title_slug")),
    )
    op.create_table(
        "verified_file",
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("chunks", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("digest", "chunks", name=op.f("pk_verified_file")),
    )
    op.create_table(
        "agent",
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("instance", sa.String(length=64), nullable=False),
        sa.Column("abilities", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("at_once", sa.Integer(), nullable=False),
        sa.Column("paused", sa.Boolean(), nullable=False),
        sa.Column("stopped", sa.Boolean(), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_agent_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_agent")),
        sa.UniqueConstraint("name", name=op.f("uq_agent_name")),
    )
    op.create_table(
        "build",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("profile", sa.String(length=60), nullable=False),
        sa.Column("platform", sa.String(length=40), nullable=False),
        sa.Column("purpose", sa.String(length=20), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("version_name", sa.String(length=64), nullable=False),
        sa.Column("version_code", sa.Integer(), nullable=False),
        sa.Column("bundle_name", sa.String(length=250), nullable=False),
        sa.Column("notes", sa.Text(), nullable=False),
        sa.Column("notes_version", sa.Integer(), nullable=False),
        sa.Column("pinned", sa.Boolean(), nullable=False),
        sa.Column("created_by", sa.String(length=200), nullable=False),
        sa.Column("completed_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_build_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_build")),
        sa.UniqueConstraint("title_id", "number", name=op.f("uq_build_title_id_number")),
    )
    op.create_index(op.f("ix_build_title_id"), "build", ["title_id"], unique=False)
    op.create_index("ix_build_title_profile", "build", ["title_id", "profile", "number"], unique=False)
    op.create_table(
        "channel",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("audience", sa.String(length=20), nullable=False),
        sa.Column("reviewed", sa.Boolean(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_channel_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_channel")),
        sa.UniqueConstraint("title_id", "name", name=op.f("uq_channel_title_id_name")),
    )
    op.create_table(
        "draft",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("base", sa.Integer(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("saved_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_draft_person_id")),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_draft_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_draft")),
        sa.UniqueConstraint("title_id", "person_id", name=op.f("uq_draft_title_id_person_id")),
    )
    op.create_table(
        "folder",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("manifest", sa.LargeBinary(), nullable=False),
        sa.Column("files", sa.Integer(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("note", sa.String(length=500), nullable=False),
        sa.Column("created_by", sa.String(length=200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_folder_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_folder")),
        sa.UniqueConstraint("title_id", "number", name=op.f("uq_folder_title_id_number")),
    )
    op.create_table(
        "frame",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("pack_digest", sa.LargeBinary(), nullable=False),
        sa.Column("offset", sa.BigInteger(), nullable=False),
        sa.Column("stored", sa.Integer(), nullable=False),
        sa.Column("raw", sa.Integer(), nullable=False),
        sa.Column("key", sa.LargeBinary(), nullable=True),
        sa.ForeignKeyConstraint(["pack_digest"], ["pack.digest"], name=op.f("fk_frame_pack_digest")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_frame")),
    )
    op.create_index("ix_frame_pack_digest", "frame", ["pack_digest"], unique=False)
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
        "idempotent_answer",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("key", sa.String(length=200), nullable=False),
        sa.Column("request_digest", sa.LargeBinary(), nullable=False),
        sa.Column("status", sa.Integer(), nullable=False),
        sa.Column("body", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_idempotent_answer_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_idempotent_answer")),
        sa.UniqueConstraint("person_id", "key", name=op.f("uq_idempotent_answer_person_id_key")),
    )
    op.create_table(
        "revision",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("message", sa.String(length=500), nullable=False),
        sa.Column("created_by", sa.String(length=200), nullable=False),
        sa.Column("commit", sa.String(length=64), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_revision_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_revision")),
        sa.UniqueConstraint("title_id", "number", name=op.f("uq_revision_title_id_number")),
    )
    op.create_table(
        "source",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("address", sa.String(length=1000), nullable=False),
        sa.Column("user", sa.String(length=200), nullable=False),
        sa.Column("credential", sa.String(length=20), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=True),
        sa.Column("submodules", sa.Boolean(), nullable=False),
        sa.Column("every", sa.Integer(), nullable=False),
        sa.Column("fetched_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("tried_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("error", sa.String(length=1000), nullable=False),
        sa.Column("heads", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("defaults", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_source_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_source")),
        sa.UniqueConstraint("title_id", name=op.f("uq_source_title_id")),
    )
    op.create_table(
        "token",
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=100), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("last_used_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_token_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_token")),
        sa.UniqueConstraint("digest", name=op.f("uq_token_digest")),
    )
    op.create_table(
        "trigger",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("pattern", sa.String(length=200), nullable=False),
        sa.Column("schedule", sa.String(length=100), nullable=False),
        sa.Column("paths", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("profiles", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=True),
        sa.Column("next_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("last_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("last_said", sa.String(length=500), nullable=False),
        sa.Column("created_by", sa.String(length=200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_trigger_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_trigger")),
        sa.UniqueConstraint("title_id", "name", name=op.f("uq_trigger_title_id_name")),
    )
    op.create_table(
        "web_session",
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("csrf_token", sa.String(length=64), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_web_session_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_web_session")),
        sa.UniqueConstraint("digest", name=op.f("uq_web_session_digest")),
    )
    op.create_table(
        "build_content",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("launch", sa.String(length=1100), nullable=False),
        sa.Column("files", sa.Integer(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("packed", sa.BigInteger(), nullable=False),
        sa.Column("figures", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("undelivered", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("left_out", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("left_out_files", sa.Integer(), nullable=False),
        sa.Column("left_out_size", sa.BigInteger(), nullable=False),
        sa.Column("statement", sa.LargeBinary(), nullable=True),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_build_content_build_id")),
        sa.PrimaryKeyConstraint("build_id", name=op.f("pk_build_content")),
    )
    op.create_table(
        "build_origin",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("run", sa.Integer(), nullable=False),
        sa.Column("commit", sa.String(length=64), nullable=False),
        sa.Column("ref", sa.String(length=250), nullable=False),
        sa.Column("why", sa.String(length=20), nullable=False),
        sa.Column("native", sa.String(length=64), nullable=False),
        sa.Column("record", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("provenance", sa.LargeBinary(), nullable=True),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_build_origin_build_id")),
        sa.PrimaryKeyConstraint("build_id", name=op.f("pk_build_origin")),
    )
    op.create_table(
        "build_symbols",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("manifest", sa.LargeBinary(), nullable=False),
        sa.Column("files", sa.Integer(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_build_symbols_build_id")),
        sa.PrimaryKeyConstraint("build_id", name=op.f("pk_build_symbols")),
    )
    op.create_table(
        "bundle",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=250), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("sha256", sa.LargeBinary(), nullable=False),
        sa.Column("chunks", sa.LargeBinary(), nullable=False),
        sa.Column("identity", sa.String(length=60), nullable=False),
        sa.Column("fingerprint", sa.String(length=64), nullable=False),
        sa.Column("signature", sa.LargeBinary(), nullable=True),
        sa.Column("signed_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("read_back", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("grant", sa.Integer(), nullable=False),
        sa.Column("bare", sa.String(length=64), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_bundle_build_id")),
        sa.PrimaryKeyConstraint("build_id", name=op.f("pk_bundle")),
    )
    op.create_table(
        "chunk",
        sa.Column("digest", sa.LargeBinary(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("frame_id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["frame_id"], ["frame.id"], name=op.f("fk_chunk_frame_id")),
        sa.PrimaryKeyConstraint("digest", name=op.f("pk_chunk")),
    )
    op.create_table(
        "content_key",
        sa.Column("id", sa.LargeBinary(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("depot", sa.String(length=60), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_content_key_build_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_content_key")),
    )
    op.create_index(op.f("ix_content_key_build_id"), "content_key", ["build_id"], unique=False)
    op.create_table(
        "depot",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("manifest", sa.LargeBinary(), nullable=False),
        sa.Column("manifest_size", sa.Integer(), nullable=False),
        sa.Column("files", sa.Integer(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("packed", sa.BigInteger(), nullable=False),
        sa.Column("selector", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_depot_build_id")),
        sa.PrimaryKeyConstraint("build_id", "name", name=op.f("pk_depot")),
    )
    op.create_index(op.f("ix_depot_manifest"), "depot", ["manifest"], unique=False)
    op.create_table(
        "device",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("platform", sa.String(length=40), nullable=False),
        sa.Column("channel_id", sa.Uuid(), nullable=False),
        sa.Column("simulated", sa.Boolean(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=True),
        sa.Column("registered_by", sa.String(length=200), nullable=False),
        sa.Column("last_seen_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("downloaded", sa.BigInteger(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_device_build_id")),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name=op.f("fk_device_channel_id")),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_device_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_device")),
        sa.UniqueConstraint("title_id", "name", name=op.f("uq_device_title_id_name")),
    )
    op.create_index(op.f("ix_device_channel_id"), "device", ["channel_id"], unique=False)
    op.create_table(
        "difference_set",
        sa.Column("new_id", sa.Uuid(), nullable=False),
        sa.Column("old_id", sa.Uuid(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("pack", sa.LargeBinary(), nullable=True),
        sa.Column("rows", sa.LargeBinary(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("seconds", sa.Double(), nullable=False),
        sa.Column("within", sa.Boolean(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["new_id"], ["build.id"], name=op.f("fk_difference_set_new_id")),
        sa.ForeignKeyConstraint(["old_id"], ["build.id"], name=op.f("fk_difference_set_old_id")),
        sa.PrimaryKeyConstraint("new_id", "old_id", name=op.f("pk_difference_set")),
    )
    op.create_table(
        "line",
        sa.Column("channel_id", sa.Uuid(), nullable=False),
        sa.Column("platform", sa.String(length=40), nullable=False),
        sa.Column("storefront", sa.String(length=40), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name=op.f("fk_line_channel_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_line")),
        sa.UniqueConstraint(
            "channel_id", "platform", "storefront", name=op.f("uq_line_channel_id_platform_storefront")
        ),
    )
    op.create_table(
        "reservation",
        sa.Column("identifier", sa.String(length=200), nullable=False),
        sa.Column("platform", sa.String(length=40), nullable=False),
        sa.Column("storefront", sa.String(length=40), nullable=False),
        sa.Column("code", sa.BigInteger(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=True),
        sa.Column("version_name", sa.String(length=64), nullable=False),
        sa.Column("origin", sa.String(length=20), nullable=False),
        sa.Column("note", sa.String(length=300), nullable=False),
        sa.Column("created_by", sa.String(length=200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_reservation_build_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_reservation")),
        sa.UniqueConstraint("identifier", "storefront", "platform", "code", name="uq_reservation_line"),
    )
    op.create_index(
        "uq_reservation_storefront",
        "reservation",
        ["identifier", "storefront", "code"],
        unique=True,
        postgresql_where=sa.text("storefront <> ''"),
    )
    op.create_table(
        "run",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("together", sa.String(length=40), nullable=False),
        sa.Column("profile", sa.String(length=60), nullable=False),
        sa.Column("platform", sa.String(length=40), nullable=False),
        sa.Column("purpose", sa.String(length=20), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("why", sa.String(length=20), nullable=False),
        sa.Column("trigger", sa.String(length=60), nullable=False),
        sa.Column("started_by", sa.String(length=200), nullable=False),
        sa.Column("note", sa.String(length=500), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("cause", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("superseded_by", sa.Integer(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=True),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_run_build_id")),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name=op.f("fk_run_title_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run")),
        sa.UniqueConstraint("title_id", "number", name=op.f("uq_run_title_id_number")),
    )
    op.create_index(
        "ix_run_open",
        "run",
        ["state"],
        unique=False,
        postgresql_where=sa.text("state in ('waiting', 'working', 'stopping')"),
    )
    op.create_index("ix_run_title_profile", "run", ["title_id", "profile", "number"], unique=False)
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
        "unsealing_key",
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("unsealed_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("unsealed_by", sa.String(length=200), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_unsealing_key_build_id")),
        sa.PrimaryKeyConstraint("build_id", name=op.f("pk_unsealing_key")),
    )
    op.create_table(
        "log_kind",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("level", sa.String(length=10), nullable=False),
        sa.Column("digest", sa.String(length=32), nullable=False),
        sa.Column("example", sa.Text(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("first_line", sa.BigInteger(), nullable=False),
        sa.Column("lines", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_log_kind_run_id")),
        sa.PrimaryKeyConstraint("run_id", "level", "digest", name=op.f("pk_log_kind")),
    )
    op.create_table(
        "log_part",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("first_line", sa.BigInteger(), nullable=False),
        sa.Column("lines", sa.Integer(), nullable=False),
        sa.Column("attempt", sa.Integer(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_log_part_run_id")),
        sa.PrimaryKeyConstraint("run_id", "first_line", name=op.f("pk_log_part")),
    )
    op.create_table(
        "placement",
        sa.Column("line_id", sa.Uuid(), nullable=False),
        sa.Column("channel_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("build_id", sa.Uuid(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("share", sa.Integer(), nullable=False),
        sa.Column("placed_by", sa.String(length=200), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["build_id"], ["build.id"], name=op.f("fk_placement_build_id")),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name=op.f("fk_placement_channel_id")),
        sa.ForeignKeyConstraint(["line_id"], ["line.id"], name=op.f("fk_placement_line_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_placement")),
        sa.UniqueConstraint("channel_id", "number", name=op.f("uq_placement_channel_id_number")),
    )
    op.create_index(op.f("ix_placement_build_id"), "placement", ["build_id"], unique=False)
    op.create_index(op.f("ix_placement_line_id"), "placement", ["line_id"], unique=False)
    op.create_index("ix_placement_live", "placement", ["line_id", "state"], unique=False)
    op.create_table(
        "run_attempt",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("agent_id", sa.Uuid(), nullable=True),
        sa.Column("agent_name", sa.String(length=60), nullable=False),
        sa.Column("lease", sa.String(length=64), nullable=False),
        sa.Column("taken_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("spoke_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("step", sa.Integer(), nullable=False),
        sa.Column("progress", sa.Double(), nullable=True),
        sa.Column("waits_for", sa.String(length=1000), nullable=False),
        sa.Column("nearest", sa.String(length=60), nullable=False),
        sa.Column("lost_agents", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(["agent_id"], ["agent.id"], name=op.f("fk_run_attempt_agent_id")),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_run_attempt_run_id")),
        sa.PrimaryKeyConstraint("run_id", name=op.f("pk_run_attempt")),
    )
    op.create_index(op.f("ix_run_attempt_agent_id"), "run_attempt", ["agent_id"], unique=False)
    op.create_index(op.f("ix_run_attempt_agent_name"), "run_attempt", ["agent_name"], unique=False)
    op.create_table(
        "run_log",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("lines", sa.BigInteger(), nullable=False),
        sa.Column("batch", sa.Integer(), nullable=False),
        sa.Column("errors", sa.Integer(), nullable=False),
        sa.Column("warnings", sa.Integer(), nullable=False),
        sa.Column("first_error", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_run_log_run_id")),
        sa.PrimaryKeyConstraint("run_id", name=op.f("pk_run_log")),
    )
    op.create_table(
        "run_order",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("commit", sa.String(length=64), nullable=False),
        sa.Column("subject", sa.String(length=300), nullable=False),
        sa.Column("ref", sa.String(length=250), nullable=False),
        sa.Column("folder", sa.Integer(), nullable=False),
        sa.Column("commits", sa.Integer(), nullable=False),
        sa.Column("step_variables", sa.String(length=60), nullable=False),
        sa.Column("version_name", sa.String(length=64), nullable=False),
        sa.Column("identity", sa.String(length=60), nullable=False),
        sa.Column("reproduces", sa.Integer(), nullable=False),
        sa.Column("native", sa.String(length=64), nullable=False),
        sa.Column("steps", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("wanted", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("expected", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_run_order_run_id")),
        sa.PrimaryKeyConstraint("run_id", name=op.f("pk_run_order")),
    )
    op.create_table(
        "run_step",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("attempt", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("said", sa.String(length=500), nullable=False),
        sa.Column("first_line", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_run_step_run_id")),
        sa.PrimaryKeyConstraint("run_id", "attempt", "position", name=op.f("pk_run_step")),
    )
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


def downgrade() -> None:
    op.drop_index(op.f("ix_unlock_identity_id"), table_name="unlock")
    op.drop_table("unlock")
    op.drop_table("run_step")
    op.drop_table("run_order")
    op.drop_table("run_log")
    op.drop_index(op.f("ix_run_attempt_agent_name"), table_name="run_attempt")
    op.drop_index(op.f("ix_run_attempt_agent_id"), table_name="run_attempt")
    op.drop_table("run_attempt")
    op.drop_index("ix_placement_live", table_name="placement")
    op.drop_index(op.f("ix_placement_line_id"), table_name="placement")
    op.drop_index(op.f("ix_placement_build_id"), table_name="placement")
    op.drop_table("placement")
    op.drop_table("log_part")
    op.drop_table("log_kind")
    op.drop_table("unsealing_key")
    op.drop_index(op.f("ix_symbol_file_ident"), table_name="symbol_file")
    op.drop_table("symbol_file")
    op.drop_index("ix_run_title_profile", table_name="run")
    op.drop_index(
        "ix_run_open", table_name="run", postgresql_where=sa.text("state in ('waiting', 'working', 'stopping')")
    )
    op.drop_table("run")
    op.drop_index("uq_reservation_storefront", table_name="reservation", postgresql_where=sa.text("storefront <> ''"))
    op.drop_table("reservation")
    op.drop_table("line")
    op.drop_table("difference_set")
    op.drop_index(op.f("ix_device_channel_id"), table_name="device")
    op.drop_table("device")
    op.drop_index(op.f("ix_depot_manifest"), table_name="depot")
    op.drop_table("depot")
    op.drop_index(op.f("ix_content_key_build_id"), table_name="content_key")
    op.drop_table("content_key")
    op.drop_table("chunk")
    op.drop_table("bundle")
    op.drop_table("build_symbols")
    op.drop_table("build_origin")
    op.drop_table("build_content")
    op.drop_table("web_session")
    op.drop_table("trigger")
    op.drop_table("token")
    op.drop_table("source")
    op.drop_table("revision")
    op.drop_table("idempotent_answer")
    op.drop_table("grant")
    op.drop_index("ix_frame_pack_digest", table_name="frame")
    op.drop_table("frame")
    op.drop_table("folder")
    op.drop_table("draft")
    op.drop_table("channel")
    op.drop_index("ix_build_title_profile", table_name="build")
    op.drop_index(op.f("ix_build_title_id"), table_name="build")
    op.drop_table("build")
    op.drop_table("agent")
    op.drop_table("verified_file")
    op.drop_table("title")
    op.drop_table("studio")
    op.drop_table("store_state")
    op.drop_table("store_check")
    op.drop_table("step_variables")
    op.drop_table("signing_identity")
    op.drop_table("person")
    op.drop_table("pack")
    op.drop_table("call_seen")
    op.drop_table("binding")
    op.drop_index("ix_audit_event_who_id", table_name="audit_event")
    op.drop_index("ix_audit_event_title_id", table_name="audit_event")
    op.drop_index("ix_audit_event_at", table_name="audit_event")
    op.drop_table("audit_event")
    _queue(DROP)


DROP = """
drop table if exists procrastinate_events, procrastinate_periodic_defers, procrastinate_jobs, procrastinate_workers cascade;
do $$ declare made record; begin
  for made in select oid::regprocedure as name from pg_proc where proname like 'procrastinate%' loop
    execute 'drop function ' || made.name || ' cascade';
  end loop;
end $$;
drop type if exists procrastinate_job_status, procrastinate_job_event_type, procrastinate_job_to_defer_v1 cascade;
"""


def _queue(statements: str) -> None:
    """Many statements at once, past SQLAlchemy's own reading of percent signs and colons."""
    driver = op.get_bind().connection.driver_connection
    assert driver is not None
    driver.execute(statements)
