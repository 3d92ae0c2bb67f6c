"""Step variables: named sets of variables and secrets that steps get."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import LargeBinary, String, Text, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, Session, mapped_column

from rampa.core.errors import NotFound
from rampa.db.base import Base, Identified


class VariablesRow(Identified, Base):
    """A set of step variables. `variables` are plain; `sealed` holds the secrets, by name."""

    __tablename__ = "step_variables"
    name: Mapped[str] = mapped_column(String(60), unique=True)
    note: Mapped[str] = mapped_column(Text, default="")
    variables: Mapped[dict[str, str]] = mapped_column(JSONB, default=dict)
    secrets: Mapped[list[str]] = mapped_column(JSONB, default=list)
    sealed: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    version: Mapped[int] = mapped_column(default=1)
    changed_at: Mapped[dt.datetime]
    changed_by: Mapped[str] = mapped_column(String(200))


def find_variables(session: Session, name: str) -> VariablesRow:
    row = session.scalar(select(VariablesRow).where(VariablesRow.name == name))
    if row is None:
        known = ", ".join(session.scalars(select(VariablesRow.name).order_by(VariablesRow.name)))
        hint = f"There is: {known}." if known else f"Make it: `rampa variables set {name} NAME=VALUE`."
        raise NotFound("variables.unknown", f"there are no step variables {name!r}", where="variables", hint=hint)
    return row
