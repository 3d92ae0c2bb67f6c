"""The worker process: `python -m rampa.jobs`. Told by the same variables as the service; ends its jobs on SIGTERM."""

from __future__ import annotations

import asyncio
import datetime as dt
import os
from pathlib import Path

from rampa.core.signing.seal import read_masters
from rampa.db import Database
from rampa.jobs.letters import Post
from rampa.jobs.tasks import make_app
from rampa.operations.base import Services
from rampa.operations.base.context import LEASE
from rampa.store.address import open_store

AT_ONCE = 4
GRACE = 10
STALLED = 30.0
"""Seconds without a heartbeat of a worker after which its jobs are given to others."""


def _seconds(name: str, otherwise: float) -> float:
    return float(os.environ.get(name) or otherwise)


def main() -> None:
    url, store = os.environ["RAMPA_DATABASE_URL"], Path(os.environ["RAMPA_STORE"])
    master = read_masters(os.environ.get("RAMPA_MASTER_KEY") or Path(os.environ["RAMPA_MASTER_KEY_FILE"]).read_text())
    lease = dt.timedelta(seconds=_seconds("RAMPA_LEASE_SECONDS", LEASE.total_seconds()))
    stalled = _seconds("RAMPA_STALLED_SECONDS", STALLED)
    services = Services(Database(url), open_store(store), master, lease=lease)
    post = Post(
        Path(os.environ.get("RAMPA_MAILBOX") or store.parent / "mailbox"),
        os.environ.get("RAMPA_SMTP", ""),
        os.environ.get("RAMPA_MAIL_FROM", "rampa@localhost"),
    )
    app = make_app(url, services, post, stalled)

    async def work() -> None:
        async with app.open_async():
            await app.run_worker_async(
                concurrency=AT_ONCE,
                fetch_job_polling_interval=1.0,
                shutdown_graceful_timeout=GRACE,
                delete_jobs="successful",
                update_heartbeat_interval=stalled / 3,
                stalled_worker_timeout=stalled,
            )

    asyncio.run(work())


if __name__ == "__main__":
    main()
