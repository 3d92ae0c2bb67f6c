"""What all tables share: naming of constraints, times in UTC, UUIDv7 keys."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from enum import IntEnum, StrEnum
from typing import Any, Literal, TypeVar

import uuid_utils
from psycopg.errors import UniqueViolation
from pydantic import TypeAdapter
from sqlalchemy import DateTime, Engine, MetaData, Select, SmallInteger, String, Uuid, create_engine
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.engine import Dialect
from sqlalchemy.exc import IntegrityError, OperationalError
from sqlalchemy.orm import DeclarativeBase, Mapped, Session, mapped_column, sessionmaker
from sqlalchemy.types import TypeDecorator

from rampa.core.errors import Conflict, Unavailable
from rampa.db.listener import Listener

NAMING = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}

UtcTime = DateTime(timezone=True)


class Coded(TypeDecorator[StrEnum]):
    """A code of a closed set, such as a state; kept as its text."""

    impl = String
    cache_ok = True

    def __init__(self, kind: type[StrEnum], length: int = 20) -> None:
        super().__init__(length)
        self.kind, self.length = kind, length

    def process_bind_param(self, value: StrEnum | None, dialect: Dialect) -> str | None:
        return None if value is None else self.kind(value).value

    def process_result_value(self, value: str | None, dialect: Dialect) -> StrEnum | None:
        return None if value is None else self.kind(value)


class Ranked(TypeDecorator[IntEnum]):
    """One of a closed set that has an order; kept as its number."""

    impl = SmallInteger
    cache_ok = True

    def __init__(self, kind: type[IntEnum]) -> None:
        super().__init__()
        self.kind = kind

    def process_bind_param(self, value: IntEnum | None, dialect: Dialect) -> int | None:
        return None if value is None else int(value)

    def process_result_value(self, value: int | None, dialect: Dialect) -> IntEnum | None:
        return None if value is None else self.kind(value)


class Typed(TypeDecorator[Any]):
    """A value of a stated type, kept as JSON: checked by pydantic on its way in and out."""

    impl = JSONB
    cache_ok = True

    def __init__(self, kind: Any) -> None:
        super().__init__()
        self.kind = kind
        self._adapter: TypeAdapter[Any] = TypeAdapter(kind)

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        return None if value is None else self._adapter.dump_python(value, mode="json")

    def process_result_value(self, value: Any, dialect: Dialect) -> Any:
        return None if value is None else self._adapter.validate_python(value)


def render_item(kind: str, item: object, context: object) -> str | Literal[False]:
    """How migrations write our column types: as what the database has. False: as Alembic does."""
    if kind == "type" and isinstance(item, Coded):
        return f"sa.String(length={item.length})"
    if kind == "type" and isinstance(item, Ranked):
        return "sa.SmallInteger()"
    if kind == "type" and isinstance(item, Typed):
        return "postgresql.JSONB(astext_type=sa.Text())"
    return False


def new_id() -> uuid.UUID:
    """UUIDv7 (RFC 9562): sorts by time of making."""
    return uuid.UUID(bytes=uuid_utils.uuid7().bytes)


class Base(DeclarativeBase):
    metadata = MetaData(naming_convention=NAMING)
    type_annotation_map = {dt.datetime: UtcTime, uuid.UUID: Uuid}


class Identified:
    """A row with a UUIDv7 key and the moment it was made."""

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=new_id)
    created_at: Mapped[dt.datetime]


Row = TypeVar("Row", bound=Identified)


def make_engine(url: str, pool_size: int = 10, **more: Any) -> Engine:
    # Tried before each use: a server that was started again leaves dead connections in the pool.
    return create_engine(url, pool_size=pool_size, max_overflow=20, pool_pre_ping=True, **more)


def locked(session: Session, rows: Select[Row], *, skip: bool = False) -> list[Row]:
    """These rows, locked until the transaction ends, and read after that. `skip`: without those that others hold."""
    kind: type[Row] = rows.column_descriptions[0]["entity"]
    ids = rows.with_only_columns(kind.id).with_for_update(of=kind, skip_locked=skip)
    # In one statement the joined rows, which are not locked, would be those from before it waited for the lock: a
    # log would go on where it ended then. What the session knows already is as old.
    fresh = rows.where(kind.id.in_(session.scalars(ids).all()))
    return list(session.scalars(fresh, execution_options={"populate_existing": True}))


def first_of(session: Session, rows: Select[Row], *, lock: bool) -> Row | None:
    """The first of these rows; `lock`: as `locked` does."""
    return next(iter(locked(session, rows)), None) if lock else session.scalar(rows)


class Database:
    """The connection pool, and transactions on it. `engine`: one that is there already."""

    def __init__(self, url: str, pool_size: int = 10, engine: Engine | None = None) -> None:
        self.engine: Engine = engine or make_engine(url, pool_size, connect_args={"connect_timeout": 5})
        self.url = url
        self.listener = Listener(url)
        # Rows are read after the commit, outside any transaction; nothing is asked again behind the reader's back.
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def transaction(self) -> Iterator[Session]:
        """Commits at the end, rolls back on any error. A database that is not there is `Unavailable`."""
        try:
            with self._sessions.begin() as session:
                yield session
        except IntegrityError as error:
            if not isinstance(error.orig, UniqueViolation):
                raise
            # Use cases look first and say which name is taken; between the look and the row somebody else was faster.
            raise Conflict(
                "database.same-moment",
                "somebody else made the same at the same moment",
                hint="Nothing was changed. Look at what is there now, then send it again where it is still needed.",
            ) from error
        except OperationalError as error:
            raise Unavailable(
                "database.unavailable",
                "the database does not answer",
                hint="Nothing was lost. Try again in a moment.",
            ) from error
