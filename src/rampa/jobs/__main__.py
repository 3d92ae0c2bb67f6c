"""The worker process: `python -m rampa.jobs`. Told by the same variables as the service; ends its jobs on SIGTERM."""

from __future__ import annotations

import asyncio
import os
import sys
from pathlib import Path

from rampa.core.errors import RampaError
from rampa.jobs.letters import Post
from rampa.jobs.tasks import make_app
from rampa.operations.base.environment import ProcessSettings, seconds

AT_ONCE = 4
GRACE = 10
STALLED = 30.0
"""Seconds without a heartbeat of a worker after which its jobs are given to others."""


def main() -> None:
    settings = ProcessSettings.from_environment()
    stalled = seconds("RAMPA_STALLED_SECONDS", STALLED)
    post = Post(
        Path(os.environ.get("RAMPA_MAILBOX") or settings.store.parent / "mailbox"),
        os.environ.get("RAMPA_SMTP", ""),
        os.environ.get("RAMPA_MAIL_FROM", "rampa@localhost"),
    )
    app = make_app(settings.database_url, settings.services(), post, stalled)

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
    try:
        main()
    except RampaError as error:
        sys.exit(f"rampa.jobs: {error.sentence()}")
