"""What the parts of one storefront share: its character, its database, its folder, its clock, what its operator set."""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, delete, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from rampa.core.errors import Unavailable
from rampa.standin.storefront.character import Character
from rampa.standin.storefront.tables import SettingRow, StoreBase

Clock = Callable[[], dt.datetime]


def utc_now() -> dt.datetime:
    return dt.datetime.now(dt.UTC)


@dataclass
class Shop:
    """One storefront. `studio` is whose account it has."""

    character: Character
    engine: Engine
    folder: Path
    studio: str
    now: Clock = utc_now
    operator: str = ""
    """What the operator's pages ask for; empty: nothing, for tests."""
    known: bool = True
    """Whether the storefront verified the studio before; said once, when there is no record yet."""

    def __post_init__(self) -> None:
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        for part in ("uploads", "bundles"):
            (self.folder / part).mkdir(parents=True, exist_ok=True, mode=0o700)
        StoreBase.metadata.create_all(self.engine)
        # Of a storefront that ran before codes were counted by platform.
        with self.engine.begin() as connection:
            connection.execute(text("alter table title drop column if exists highest"))

    @contextmanager
    def begin(self) -> Iterator[Session]:
        try:
            with self._sessions.begin() as session:
                yield session
        except OperationalError as error:
            raise Unavailable("storefront.database", "the storefront's database does not answer") from error

    def upload_file(self, upload: str) -> Path:
        return self.folder / "uploads" / upload

    def get(self, session: Session, name: str) -> dict[str, Any]:
        row = session.get(SettingRow, name)
        return dict(row.value) if row else {}

    def lock(self, session: Session, name: str) -> None:
        """Until the transaction ends: whoever changes that value comes one after the other."""
        session.execute(text("select pg_advisory_xact_lock(hashtext(:name))"), {"name": name})

    def set(self, session: Session, name: str, value: dict[str, Any] | None) -> None:
        session.execute(delete(SettingRow).where(SettingRow.name == name))
        if value is not None:
            session.add(SettingRow(name=name, value=value))
        session.flush()


def open_shop(
    character: Character, url: str, folder: Path, studio: str, operator: str = "", *, known: bool = True
) -> Shop:
    return Shop(character, create_engine(url, pool_pre_ping=True), folder, studio, operator=operator, known=known)


def digest_of(secret: str) -> bytes:
    return hashlib.sha256(secret.encode()).digest()
