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


@pytest.fixture(autouse=True)
def short_leases(monkeypatch: pytest.MonkeyPatch) -> None:
    """Services that start in a test wait five seconds for a silent agent, not half a minute."""
    monkeypatch.setenv("RAMPA_LEASE_SECONDS", "5")


@pytest.fixture
def machines(live: Live, client: Client, tmp_path: Path) -> Iterator[Machines]:
    made = Machines(live, client, tmp_path)
    made.worker()
    yield made
    made.stop()
