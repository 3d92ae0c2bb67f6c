"""A real service with a worker, for tests with agents."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from rampa.client import Client
from tests.conftest import Live
from tests.ends.machines import Machines


@pytest.fixture
def client(live: Live) -> Iterator[Client]:
    with live.client() as made:
        yield made


@pytest.fixture
def machines(live: Live, client: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Machines]:
    monkeypatch.setenv("RAMPA_LEASE_SECONDS", "5")
    live.stop_service()
    live.start()
    made = Machines(live, client, tmp_path)
    made.worker()
    yield made
    made.stop()
