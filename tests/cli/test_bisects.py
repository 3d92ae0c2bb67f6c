"""Finding the commit by command: what is planned, what each try came to, the commit with what it changed, and the exit codes."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.core.run.bisect import Measured
from tests.bisecting import COUNT, PROFILE, Bench, from_, made_bench
from tests.cli.conftest import Said
from tests.conftest import Begun, World


@pytest.fixture
def bench(world: World, client: Client, begun: Begun, tmp_path: Path) -> Bench:
    return made_bench(world, client, begun, tmp_path / "peatlight")


def test_from_the_plan_to_the_commit(bench: Bench, said: Said) -> None:
    ends = (bench.commits[0], "main", "--by", "self-test", "--profile", PROFILE)
    begun = said("run", "bisect", *ends, "--no-watch")
    assert f"{COUNT} commits of linux-release: 6 rounds at most, 1 run at once." in begun
    assert "takes a version code" not in begun
    assert f"bisect 1 of peatlight, self test: {COUNT} commits of {COUNT} can be it; 6 rounds more at most" in begun
    bench.go(1, from_(8))
    found = said("run", "bisected", "1")
    for words in ("○ good", "■ bad", "Commit 8", "Oskari", "+7", bench.commits[8]):
        assert words in found
    listed = said("run", "bisects")
    assert "found" in listed
    assert f"{bench.commits[0][:10]}" in listed
    told = json.loads(said("run", "bisected", "1", "--json"))
    assert told["found"]["commit"] == bench.commits[8]


def test_without_one_commit_the_exit_code_says_so(bench: Bench, said: Said) -> None:
    ends = (bench.commits[0], "main", "--by", "size", "data", "--profile", PROFILE, "--limit", "12MB")
    said("run", "bisect", *ends, "--no-watch")
    bench.go(1, lambda place: Measured(size=1000))
    assert "bad above 12.0 MB" in said("run", "bisected", "1", code=12)
    said("run", "bisect", bench.commits[0], "main", "--by", "self-test", "--profile", PROFILE, "--no-watch")
    assert "Cancelled by Iida." in said("run", "bisected", "2", "--cancel", code=12)
