"""Files that are written beside, synced and renamed; what the disk says, as a sentence."""

from __future__ import annotations

import errno
from pathlib import Path

import pytest

from rampa.core import files
from rampa.core.files import disk_error, must_fit, replace_file, replacing, sync
from tests.refusals import refuses


def interrupted(target: Path) -> None:
    with replacing(target) as out:
        out.write(b"half of the sec")
        raise KeyboardInterrupt


def test_a_file_is_replaced_whole_or_not_at_all(tmp_path: Path) -> None:
    target = tmp_path / "papers/release.json"
    replace_file(target, b"first")
    with pytest.raises(KeyboardInterrupt):
        interrupted(target)
    assert target.read_bytes() == b"first"
    with replacing(target) as out:
        out.write(b"second")
    assert target.read_bytes() == b"second"
    assert [p.name for p in target.parent.iterdir()] == ["release.json"], "nothing lies beside it"


@pytest.mark.parametrize(
    ("number", "code"), [(errno.ENOSPC, "disk.full"), (errno.EDQUOT, "disk.full"), (errno.EIO, "disk.error")]
)
def test_what_the_disk_says_becomes_a_sentence(number: int, code: str, tmp_path: Path) -> None:
    with refuses(code, where=str(tmp_path)):
        raise disk_error(OSError(number, "what it says"), tmp_path)


def test_what_does_not_fit_is_said_before_it_is_begun(tmp_path: Path) -> None:
    must_fit(tmp_path / "not/there/yet", 1)
    with refuses("disk.full", "MB more on the disk"):
        must_fit(tmp_path / "not/there/yet", 1 << 60)


def test_a_disk_that_does_not_confirm_is_not_believed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    sync(tmp_path)
    monkeypatch.setattr(files, "c_function", lambda _: lambda _: -1)
    with refuses("disk.sync", where=str(tmp_path)):
        sync(tmp_path)
    monkeypatch.setattr(files, "c_function", lambda _: None)
    sync(tmp_path)
