"""Webhooks: where events of a title are sent. Each event is put on its way in the transaction that records it."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)
# Here and not in the program: an event that is recorded in any way is put on its way with it, or neither is.
PUT = """
create function put_deliveries() returns trigger language plpgsql as $$
begin
  insert into webhook_delivery
    (id, created_at, webhook_id, event_id, state, tries, next_at, status, answer, milliseconds)
  select gen_random_uuid(), new.at, w.id, new.id, 'waiting', 0, new.at, 0, '', 0
    from webhook w join title t on t.id = w.title_id
   where t.slug = new.title
     and (w.acts = '[]'::jsonb
          or exists (select 1 from jsonb_array_elements_text(w.acts) a where starts_with(new.act, a)));
  return null;
end $$
"""


def upgrade() -> None:
    op.create_table(
        "webhook",
        sa.Column("title_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("address", sa.String(1000), nullable=False),
        sa.Column("acts", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("paused", sa.Boolean(), nullable=False),
        sa.Column("made_by", sa.String(200), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_webhook"),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_webhook_title_id"),
        sa.UniqueConstraint("title_id", "name", name="uq_webhook_title_id_name"),
    )
    op.create_table(
        "webhook_delivery",
        sa.Column("webhook_id", sa.Uuid(), nullable=False),
        sa.Column("event_id", sa.Uuid(), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("next_at", TIME, nullable=False),
        sa.Column("status", sa.Integer(), nullable=False),
        sa.Column("answer", sa.Text(), nullable=False),
        sa.Column("milliseconds", sa.Integer(), nullable=False),
        sa.Column("tried_at", TIME, nullable=True),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_webhook_delivery"),
        sa.ForeignKeyConstraint(
            ["webhook_id"], ["webhook.id"], name="fk_webhook_delivery_webhook_id", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["event_id"], ["audit_event.id"], name="fk_webhook_delivery_event_id"),
        sa.UniqueConstraint("webhook_id", "event_id", name="uq_webhook_delivery_webhook_id_event_id"),
    )
    op.create_index("ix_webhook_delivery_due", "webhook_delivery", ["state", "next_at"])
    op.execute(PUT)
    op.execute(
        "create trigger put_deliveries after insert on audit_event for each row when (new.title is not null)"
        " execute function put_deliveries()"
    )


def downgrade() -> None:
    op.execute("drop trigger put_deliveries on audit_event")
    op.execute("drop function put_deliveries")
    op.drop_table("webhook_delivery")
    op.drop_table("webhook")
