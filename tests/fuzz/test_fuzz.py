"""The fuzzer itself, for a moment each: it reaches more with time, and it does find what it should."""

from __future__ import annotations

import contextlib

import pytest

from rampa.core.errors import RampaError
from tests.fuzz import __main__ as fuzzer
from tests.fuzz.readers import READERS, kept


@pytest.mark.parametrize("name", READERS)
def test_a_short_while_of_each_reader(name: str) -> None:
    assert fuzzer.fuzz(name, 0.3, seed=7, least=8) >= 8


@pytest.mark.parametrize("name", READERS)
def test_what_long_runs_kept_is_read_or_refused(name: str) -> None:
    reader, _ = READERS[name]
    inputs = kept(name)
    assert 1 <= len(inputs) <= 10
    for data in inputs:
        with contextlib.suppress(RampaError):
            reader(data)


def test_it_finds_a_defect(monkeypatch: pytest.MonkeyPatch, tmp_path_factory: pytest.TempPathFactory) -> None:
    monkeypatch.chdir(tmp_path_factory.mktemp("found"))

    def fragile(data: bytes) -> None:
        if data[:1] != b"f":
            raise IndexError("a defect")

    monkeypatch.setitem(READERS, "fragile", (fragile, lambda: [b"fog"]))
    with pytest.raises(SystemExit, match="fragile: IndexError: a defect; the input is"):
        fuzzer.fuzz("fragile", 20.0, seed=7)
