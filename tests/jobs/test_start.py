"""A worker of the queue says what its settings lack, in one sentence, and does not begin."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.nursery import run_module

GOOD = {"DATABASE_URL": "postgresql+psycopg://x", "STORE": "{}/store", "MASTER_KEY": "00" * 32}


@pytest.mark.parametrize(
    ("settings", "said"),
    [
        ({"DATABASE_URL": ""}, "RAMPA_DATABASE_URL is not set"),
        ({"STORE": ""}, "RAMPA_STORE is not set"),
        ({"MASTER_KEY": ""}, "RAMPA_MASTER_KEY_FILE is not set"),
        ({"MASTER_KEY": "fog"}, "a master key must be 64 hexadecimal digits"),
        ({"STALLED_SECONDS": "soon"}, "RAMPA_STALLED_SECONDS is 'soon'"),
    ],
)
def test_a_worker_names_what_is_missing(settings: dict[str, str], said: str, tmp_path: Path) -> None:
    given = {f"RAMPA_{name}": value.format(tmp_path) for name, value in {**GOOD, **settings}.items() if value}
    plain = {name: value for name, value in os.environ.items() if not name.startswith("RAMPA_")}
    done = run_module(["rampa.jobs"], plain | given, tmp_path)
    assert done.returncode == 1
    assert done.stderr.startswith("rampa.jobs: ")
    assert said in done.stderr
    assert "Traceback" not in done.stderr
    assert done.stderr.count("\n") == 1
