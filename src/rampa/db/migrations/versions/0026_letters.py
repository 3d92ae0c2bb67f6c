"""Letters about what happened: what people chose, and what waits to be told."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)
# As with webhooks: an event that is recorded in any way waits for its letters with it, or neither does. A title's own choice
# goes before the one for all of them.
PUT = """
create function put_notices() returns trigger language plpgsql as $$
begin
  insert into notice (person_id, event_id, daily)
  select c.person_id, new.id, c.time = 'daily'
    from notice_choice c left join title t on t.slug = new.title
   where c.time <> 'never'
     and exists (select 1 from jsonb_array_elements_text(c.acts) a where starts_with(new.act, a))
     and (c.title_id = t.id
          or (c.title_id is null
              and not exists (select 1 from notice_choice s
                               where s.person_id = c.person_id and s.kind = c.kind and s.title_id = t.id)))
  on conflict do nothing;
  return null;
end $$
"""


def upgrade() -> None:
    op.create_table(
        "notice_choice",
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("title_id", sa.Uuid(), nullable=True),
        sa.Column("time", sa.String(20), nullable=False),
        sa.Column("acts", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_notice_choice"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_notice_choice_person_id", ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["title_id"], ["title.id"], name="fk_notice_choice_title_id", ondelete="CASCADE"),
        sa.UniqueConstraint(
            "person_id",
            "kind",
            "title_id",
            name="uq_notice_choice_person_id_kind_title_id",
            postgresql_nulls_not_distinct=True,
        ),
    )
    op.create_table(
        "notice",
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("event_id", sa.Uuid(), nullable=False),
        sa.Column("daily", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("person_id", "event_id", name="pk_notice"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_notice_person_id", ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["event_id"], ["audit_event.id"], name="fk_notice_event_id", ondelete="CASCADE"),
    )
    op.create_table(
        "notice_reader",
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at_once_at", TIME, nullable=True),
        sa.Column("daily_at", TIME, nullable=True),
        sa.PrimaryKeyConstraint("person_id", name="pk_notice_reader"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name="fk_notice_reader_person_id", ondelete="CASCADE"),
    )
    op.execute(PUT)
    op.execute("create trigger put_notices after insert on audit_event for each row execute function put_notices()")


def downgrade() -> None:
    op.execute("drop trigger put_notices on audit_event")
    op.execute("drop function put_notices")
    for table in ("notice_reader", "notice", "notice_choice"):
        op.drop_table(table)
