"""People are invited, disabled and enabled; a token knows the token that made it, and ends with it."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("person", sa.Column("disabled_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("person", sa.Column("invitation", sa.LargeBinary(), nullable=True))
    op.add_column("person", sa.Column("invited_until", sa.DateTime(timezone=True), nullable=True))
    op.add_column("token", sa.Column("made_by", sa.Uuid(), nullable=True))
    op.create_foreign_key("fk_token_made_by", "token", "token", ["made_by"], ["id"], ondelete="CASCADE")


def downgrade() -> None:
    op.drop_constraint("fk_token_made_by", "token", type_="foreignkey")
    op.drop_column("token", "made_by")
    op.drop_column("person", "invited_until")
    op.drop_column("person", "invitation")
    op.drop_column("person", "disabled_at")
