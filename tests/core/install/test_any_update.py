"""From any folder to any other: the device ends with exactly the new one and downloads exactly what was planned."""

from __future__ import annotations

import tempfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rampa.core.content.tree.comparison import compare
from rampa.core.content.tree.regions import local_content
from rampa.core.install.install import Installation
from rampa.core.install.plan import plan_update
from rampa.system import CLOCK
from tests.core.install.test_install import KEY, KINDS, TITLE, Shop
from tests.samples import noise, words

PIECES = [noise(70_000, 1), noise(90_000, 2), words(120_000, 3), bytes(300_000), b"fog", b"", noise(17_000, 4)]
NAMES = ["a", "b/c", "b/d", "e/f/g", "e/h", "i.bin"]
content = st.lists(st.sampled_from(range(len(PIECES))), max_size=4).map(lambda n: b"".join(PIECES[i] for i in n))
content |= st.tuples(content, st.integers(0, 9)).map(lambda c: c[0][:40_000] + bytes([c[1]]) + c[0][40_000:])
folder = st.dictionaries(st.sampled_from(NAMES), st.tuples(content, st.booleans()), max_size=6)


def written(root: Path, files: dict[str, tuple[bytes, bool]]) -> Path:
    for name, (data, executable) in {**files, "bin/peatlight": (b"#!/bin/sh\n", True)}.items():
        path = root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
        path.chmod(0o755 if executable else 0o644)
    return root


def read(root: Path) -> dict[str, tuple[bytes, bool]]:
    found = (p for p in root.rglob("*") if p.is_file())
    return {str(p.relative_to(root)): (p.read_bytes(), bool(p.stat().st_mode & 0o100)) for p in found}


@pytest.mark.slow
@settings(max_examples=40, suppress_health_check=list(HealthCheck))
@given(folder, folder, st.booleans(), st.sampled_from(KINDS))
def test_any_update(
    old: dict[str, tuple[bytes, bool]], new: dict[str, tuple[bytes, bool]], differences: bool, kind: str
) -> None:
    with tempfile.TemporaryDirectory() as scratch:
        at = Path(scratch)
        shop = Shop(kind)
        first, second = shop.take(written(at / "old", old)), shop.take(written(at / "new", new))
        device = Installation(at / "device", TITLE, KEY.public_key().public_bytes_raw(), clock=CLOCK)
        device.update(shop.release(1, first), shop)
        assert read(device.root / "current/tree") == read(at / "old")
        if differences:
            shop.prepare(first, second, (at / "old", at / "new"))
        plan = plan_update(second, local_content(first), shop.located(second, first, 1))
        report = device.update(shop.release(2, second), shop)
        assert read(device.root / "current/tree") == read(at / "new")
        assert report.downloaded == plan.download
        assert device.verify() == []


@given(folder, folder)
@settings(max_examples=25, suppress_health_check=list(HealthCheck))
def test_a_comparison_tells_everything(old: dict[str, tuple[bytes, bool]], new: dict[str, tuple[bytes, bool]]) -> None:
    with tempfile.TemporaryDirectory() as scratch:
        shop = Shop()
        first = shop.take(written(Path(scratch) / "old", old))
        second = shop.take(written(Path(scratch) / "new", new))
    before, after = {f.path: f for f in first.files}, {f.path: f for f in second.files}
    changes = compare(first, second)
    told = {c.path for c in changes} | {c.old_path for c in changes if c.old_path}
    differing = {p for p in before.keys() | after.keys() if before.get(p) != after.get(p)}
    assert told == differing
    for change in changes:
        if change.kind == "moved":
            assert before[change.old_path].digest == after[change.path].digest
