"""A power cut at any file operation: the old build or the new one starts, and the next run finishes."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from rampa.core.content.tree.tree import Tree
from rampa.core.install.install import Installation
from rampa.system import CLOCK
from tests.core.install.test_install import KEY, TITLE, Shop
from tests.samples import noise, words

OPERATIONS = (
    "rename",
    "replace",
    "link",
    "symlink",
    "unlink",
    "rmdir",
    "mkdir",
    "ftruncate",
    "pwrite",
    "pwritev",
    "chmod",
)


class PowerCut(BaseException):
    """Nothing of ours catches it."""


@contextmanager
def power_cut(at: int, patch: pytest.MonkeyPatch) -> Iterator[list[int]]:
    """The operation number `at` does half of its work, if it is a write, and then nothing more happens."""
    count = [0]

    def broken(name: str, real: Callable[..., object]) -> Callable[..., object]:
        def act(*words: object, **more: object) -> object:
            count[0] += 1
            if count[0] < at:
                return real(*words, **more)
            if count[0] == at and name == "pwrite":
                fd, data, offset = words
                real(fd, bytes(data)[: len(data) // 2], offset)  # type: ignore[arg-type, call-overload]
            raise PowerCut

        return act

    with patch.context() as inside:
        for name in OPERATIONS:
            inside.setattr(os, name, broken(name, getattr(os, name)))
        yield count


def folder(root: Path, version: int) -> Path:
    shutil.rmtree(root, ignore_errors=True)
    for path, data in {
        "bin/peatlight": b"#!/bin/sh\necho %d\n" % version,
        "data/bog.pak": noise(60_000, 1) + b"%d" % version + noise(50_000, 2),
        "data/same.pak": noise(40_000, 3),
        f"maps/night-{version}.json": words(30_000, version),
        "options.ini": b"fog = 3\n",
    }.items():
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).write_bytes(data)
    (root / "bin/peatlight").chmod(0o755)
    return root


def builds(at: Path, kind: str = "small") -> tuple[Shop, bytes, bytes]:
    shop = Shop(kind)
    first = player(shop.take(folder(at / "one", 1)))
    second = player(shop.take(folder(at / "two", 2)))
    return shop, shop.release(1, first), shop.release(2, second)


def player(tree: Tree) -> Tree:
    from rampa.core.install.player_files import mark_player_files

    return mark_player_files(tree, ("options.ini",), "keep")


def running(device: Installation) -> int:
    """The build that starts now; it is whole."""
    now = device.current()
    if now is None:
        return 0
    assert device.verify() == []
    return now.statement.build


def fresh(at: Path, shop: Shop, first: bytes, *, keep_previous: bool) -> Installation:
    shutil.rmtree(at, ignore_errors=True)
    device = Installation(at, TITLE, KEY.public_key().public_bytes_raw(), keep_previous=keep_previous, clock=CLOCK)
    device.update(first, shop.of(1))
    (at / "current/tree/options.ini").write_bytes(b"fog = 9\n")
    return device


@pytest.mark.slow
@pytest.mark.parametrize(("kind", "keep_previous"), [("players", False), ("past", True)])
def test_an_update_cut_anywhere(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, kind: str, keep_previous: bool
) -> None:
    shop, first, second = builds(tmp_path, kind)
    seen = set()
    for at in range(1, 1000):
        device = fresh(tmp_path / "device", shop, first, keep_previous=keep_previous)
        finished = False
        with power_cut(at, monkeypatch) as count:
            try:
                device.update(second, shop.of(2))
                finished = True
            except PowerCut:
                pass
        seen.add(running(device))
        device.update(second, shop.of(2))
        assert running(device) == 2
        assert (device.root / "current/tree/options.ini").read_bytes() == b"fog = 9\n"
        assert not (device.root / "making").exists()
        assert len(list((device.root / "builds").iterdir())) == 1 + keep_previous
        if finished and count[0] < at:
            break
    assert at > 30
    assert seen == {1, 2}


@pytest.mark.slow
def test_a_roll_back_cut_anywhere(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    shop, first, second = builds(tmp_path)
    for at in range(1, 100):
        device = fresh(tmp_path / "device", shop, first, keep_previous=True)
        device.update(second, shop.of(2))
        finished = False
        with power_cut(at, monkeypatch) as count:
            try:
                device.roll_back()
                finished = True
            except PowerCut:
                pass
        assert running(device) in (1, 2)
        if finished and count[0] < at:
            break
        if running(device) == 2:
            device.roll_back()
        assert running(device) == 1
        device.update(second, shop.of(2))
        assert running(device) == 2
    assert at > 3


def test_an_uninstall_cut_anywhere_leaves_what_the_player_changed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    shop, first, _ = builds(tmp_path)
    for at in range(1, 100):
        device = fresh(tmp_path / "device", shop, first, keep_previous=False)
        with power_cut(at, monkeypatch) as count:
            try:
                device.uninstall()
            except PowerCut:
                pass
        if running(device):
            device.uninstall()
        assert device.current() is None
        assert (device.root / "aside/1/options.ini").read_bytes() == b"fog = 9\n"
        if count[0] < at:
            break
    assert at > 3
