"""A worker that takes the due steps of rollouts, or lays a build out for players.

It is killed (-9) before its statement or commit of a given number.
"""

from __future__ import annotations

import datetime as dt
import os
import signal
import sys
from pathlib import Path

from sqlalchemy import event

from rampa.core.content.pack import pack
from rampa.db import Database
from rampa.operations.base.context import Services
from rampa.operations.channels.rollouts import grow_due
from rampa.operations.layout import making
from rampa.store.folder import FolderStore


def main(url: str, store: str, now: str, after: str, build: str = "") -> None:
    at = dt.datetime.fromisoformat(now)
    services = Services(Database(url), FolderStore(Path(store)), bytes(range(32)), now=lambda: at)
    left = int(after)

    def count(*_: object) -> None:
        nonlocal left
        left -= 1
        if not left:
            os.kill(os.getpid(), signal.SIGKILL)

    event.listen(services.db.engine, "before_cursor_execute", count)
    event.listen(services.db.engine, "commit", count)
    if build:
        setattr(pack, "RAW_TARGET", 100_000)  # noqa: B010
        making.lay_out(services, build)
    else:
        grow_due(services)


if __name__ == "__main__":
    main(*sys.argv[1:])
