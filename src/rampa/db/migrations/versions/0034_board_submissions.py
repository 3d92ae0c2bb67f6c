"""What is before storefronts' reviewers stands on the board, too: its changes end an answer that was kept."""

from alembic import op

revision = "0034"
down_revision = "0033"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        "create trigger note_board_change after insert or delete or update of state, course on submission"
        " for each statement execute function note_board_change()"
    )


def downgrade() -> None:
    op.execute("drop trigger note_board_change on submission")
