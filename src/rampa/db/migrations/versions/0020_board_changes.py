"""Which transactions changed what the board shows, so that an answer that was kept can prove that it is still true."""

import sqlalchemy as sa
from alembic import op

from rampa.db.board import Xid8

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None

WATCHED: dict[str, tuple[str, ...]] = {
    "title": ("slug", "name", "identifier"),
    "channel": ("name", "position"),
    "line": (),
    "build": ("state", "version_name", "purpose"),
    "release": (),
    "run": ("state", "cause"),
    "placement": (),
    "placement_change": (),
    "scheduled_placement": (),
}
"""Table -> columns whose change counts; none: any."""
NOTE = """
create function note_board_change() returns trigger language plpgsql as $$
begin
  insert into board_change (xid, at) values (pg_current_xact_id(), clock_timestamp()) on conflict do nothing;
  return null;
end $$
"""


def upgrade() -> None:
    op.create_table(
        "board_change",
        sa.Column("xid", Xid8(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("xid", name="pk_board_change"),
    )
    op.execute(NOTE)
    for table, columns in WATCHED.items():
        changed = f"update of {', '.join(columns)}" if columns else "update"
        op.execute(
            f"create trigger note_board_change after insert or delete or {changed} on {table}"
            " for each statement execute function note_board_change()"
        )


def downgrade() -> None:
    for table in WATCHED:
        op.execute(f"drop trigger note_board_change on {table}")
    op.execute("drop function note_board_change")
    op.drop_table("board_change")
