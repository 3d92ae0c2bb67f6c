"""Attempts: the same command goes on with the same build; two at once are two."""

from __future__ import annotations

from pathlib import Path

from rampa.client.builds.attempts import attempt


def test_an_attempt_keeps_its_key_until_it_is_done(tmp_path: Path) -> None:
    with attempt(tmp_path, "peatlight", "linux") as (first, file):
        assert file
    with attempt(tmp_path, "peatlight", "linux") as (again, file):
        assert again == first
    with attempt(tmp_path, "peatlight", "windows") as (other, _):
        assert other != first
    assert file
    file.unlink()
    with attempt(tmp_path, "peatlight", "linux") as (fresh, _):
        assert fresh != first


def test_two_at_once_are_two(tmp_path: Path) -> None:
    with attempt(tmp_path, "peatlight") as (one, _), attempt(tmp_path, "peatlight") as (two, remembered):
        assert one != two
        assert remembered is None


def test_a_damaged_note_counts_as_none(tmp_path: Path) -> None:
    with attempt(tmp_path, "peatlight") as (first, file):
        assert file
        file.write_bytes(b"\xff\xfe")
    with attempt(tmp_path, "peatlight") as (again, _):
        assert len(again) == 32
        assert again != first
