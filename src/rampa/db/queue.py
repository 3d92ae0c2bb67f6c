"""The job queue in PostgreSQL: putting work in, in the caller's own transaction. `rampa.jobs` carries it out.

A job and the change that asks for it are committed together or not at all.
"""

from __future__ import annotations

from typing import Any

from procrastinate import App
from procrastinate.sync_psycopg_connector import SyncPsycopgConnector
from sqlalchemy import text
from sqlalchemy.orm import Session

_putting = App(connector=SyncPsycopgConnector())
RUNS, SOURCES, MAIL, CONTENT, CHANNELS, SUBMISSIONS = "runs", "sources", "mail", "content", "channels", "submissions"
"""Queues."""
CHANGES = "rampa_changes"
"""The channel of LISTEN and NOTIFY by which processes hear of changes."""


def put(session: Session, task: str, queue: str, lock: str | None = None, **words: Any) -> None:
    """`lock`: jobs with the same one are done one after another, in the order in which they came."""
    # The caller's own connection: a job that is seen before the change commits would find nothing.
    driver = session.connection().connection.driver_connection
    _putting.configure_task(task, queue=queue, lock=lock, connection=driver).defer(**words)


def tell(session: Session, what: str) -> None:
    """Wakes whoever waits for `what` (`run/ID`, `agent/ID`, `title/SLUG`) when the transaction commits."""
    session.execute(text("select pg_notify(:channel, :what)"), {"channel": CHANGES, "what": what})
