"""Repairing, rolling back, uninstalling: what they give back, what they leave, and what they say when they cannot."""

from __future__ import annotations

import errno
import os
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from rampa.core.content.pack.places import FramePlace
from rampa.core.content.tree.tree import LinkEntry, Tree
from rampa.core.errors import Damaged, Unavailable
from rampa.core.install.cheapest import REQUEST_LIMIT, requests_for
from rampa.core.install.install import Installation
from rampa.core.install.integrity import good_chunks
from rampa.core.install.player_files import mark_player_files
from tests.core.install.test_install import KEY, TITLE, Shop
from tests.core.install.test_power_cuts import folder, fresh
from tests.refusals import refuses
from tests.samples import noise

PLAYER = ("options.ini", "notes.txt")
CHANGED = b"fog = 9\n"


class Counting:
    """A clock that counts its readings: what took time shows as whole seconds."""

    def __init__(self) -> None:
        self.now = 50.0

    def seconds(self) -> float:
        self.now += 1.0
        return self.now

    def sleep(self, seconds: float) -> None:
        self.now += seconds


def two(shop: Shop, at: Path, rule: str = "keep") -> tuple[bytes, bytes]:
    first, second = (
        mark_player_files(shop.take(folder(at / name, n)), PLAYER, rule) for n, name in ((1, "a"), (2, "b"))
    )
    return shop.release(1, first), shop.release(2, second)


def updated(shop: Shop, at: Path, rule: str = "keep") -> Installation:
    """Build 2 in place of 1, whose options the player changed; 1 is kept."""
    first, second = two(shop, at, rule)
    device = fresh(at / "device", shop, first, keep_previous=True)
    device.update(second, shop.of(2))
    return device


def failing(code: int) -> Callable[..., None]:
    def fail(*_: object, **__: object) -> None:
        raise OSError(code, os.strerror(code), None)

    return fail


def test_rolling_back_starts_the_kept_build_with_the_player_s_files(shop: Shop, tmp_path: Path) -> None:
    device = updated(shop, tmp_path)
    (device.root / "current/tree/options.ini").write_bytes(b"fog = 1\n")
    went = device.roll_back()
    now = device.current()
    assert now is not None
    assert went.statement.build == now.statement.build == 1
    assert (device.root / "current/tree/options.ini").read_bytes() == b"fog = 1\n"
    assert device.previous() is None
    assert [p.name for p in (device.root / "builds").iterdir()] == [now.key]
    assert device.verify() == []


def test_what_the_kept_build_would_replace_goes_aside(shop: Shop, tmp_path: Path) -> None:
    device = updated(shop, tmp_path, "aside")
    (device.root / "current/tree/options.ini").write_bytes(CHANGED)
    device.roll_back()
    assert (device.root / "aside/2/options.ini").read_bytes() == CHANGED
    assert (device.root / "current/tree/options.ini").read_bytes() == b"fog = 9\n", "as it was when 1 was left"


def test_there_is_nothing_to_go_back_to(shop: Shop, tmp_path: Path) -> None:
    first, _ = two(shop, tmp_path)
    device = fresh(tmp_path / "device", shop, first, keep_previous=True)
    with refuses("install.no-previous", "no build is kept", where=str(device.root)) as caught:
        device.roll_back()
    assert "from the next update on" in caught.value.hint
    assert device.current() is not None


def test_a_kept_build_that_is_not_whole_is_not_gone_back_to(shop: Shop, tmp_path: Path) -> None:
    device = updated(shop, tmp_path)
    bad = device.root / "previous/tree/maps/night-1.json"
    bad.chmod(0o644)
    bad.write_bytes(b"{}")
    with refuses("install.damaged", "not whole any more", where="maps/night-1.json") as caught:
        device.roll_back()
    assert caught.value.hint == "Nothing was changed. Update to a build that the channel has."
    now = device.current()
    assert now is not None
    assert now.statement.build == 2


def test_uninstalling_leaves_what_the_player_changed_and_nothing_else(shop: Shop, tmp_path: Path) -> None:
    device = updated(shop, tmp_path)
    (device.root / "current/tree/options.ini").write_bytes(CHANGED)
    # What an update that broke off had fetched.
    (device.root / "making/left/tree").mkdir(parents=True)
    now = device.current()
    assert now is not None
    assert device.uninstall() == now.tree.size > 100_000
    assert (device.root / "aside/2/options.ini").read_bytes() == CHANGED
    assert sorted(p.name for p in device.root.iterdir()) == ["aside"]
    assert device.current() is device.previous() is None
    with refuses("install.none", "nothing is installed", where=str(device.root)):
        device.uninstall()


@pytest.mark.parametrize(
    ("act", "broken"),
    [("roll_back", "replace"), ("uninstall", "fsync"), ("repair", "replace")],
)
@pytest.mark.parametrize(("code", "said"), [(errno.ENOSPC, "disk.full"), (errno.EIO, "disk.error")])
def test_a_disk_that_gives_up_says_where(
    act: str, broken: str, code: int, said: str, shop: Shop, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    device = updated(shop, tmp_path)
    (device.root / "current/tree/data/same.pak").unlink()
    (device.root / "current/tree/options.ini").write_bytes(CHANGED)
    if broken == "replace":
        monkeypatch.setattr(os, "replace", failing(code))
    else:
        monkeypatch.setattr("rampa.core.install.folder.sync", failing(code))
    with pytest.raises(Unavailable) as caught:
        device.repair(shop.of(2)) if act == "repair" else getattr(device, act)()
    assert (caught.value.code, caught.value.where) == (said, str(device.root))


def test_a_repair_takes_what_is_good_from_wherever_it_stands(shop: Shop, tmp_path: Path) -> None:
    root = folder(tmp_path / "one", 1)
    (root / "data/twin.pak").write_bytes(noise(40_000, 3))
    (root / "start").symlink_to("bin/peatlight")
    clock = Counting()
    device = Installation(tmp_path / "device", TITLE, KEY.public_key().public_bytes_raw(), clock=clock)
    device.update(shop.release(1, shop.take(root)), shop)
    tree = device.root / "current/tree"
    (tree / "data/same.pak").write_bytes(noise(40_000, 4))
    (tree / "start").unlink()
    (tree / "start").mkdir()
    (tree / "start/in-the-way").write_bytes(b"")
    shop.sent = 0
    report = device.repair(shop)
    assert report.repaired == ["data/same.pak", "start"]
    assert (report.downloaded, shop.sent, report.reused) == (0, 0, 40_000), "its twin holds all of it"
    assert report.metadata == len(shop.locations())
    assert 0 < report.seconds < 20
    assert os.readlink(tree / "start") == "bin/peatlight"
    assert list(device.root.glob("making/*")) == []
    assert device.verify() == []
    assert device.repair(shop).repaired == []


def test_a_repair_makes_folders_that_are_gone_and_is_not_led_astray_by_one_that_broke_off(
    shop: Shop, tmp_path: Path
) -> None:
    root = folder(tmp_path / "one", 1)
    for name in ("zones/bog/far/a.pak", "zones/bog/b.pak"):
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_bytes(noise(20_000, len(name)))
    device = fresh(tmp_path / "device", shop, shop.release(1, shop.take(root)), keep_previous=False)
    now = device.current()
    assert now is not None
    shutil.rmtree(device.root / "current/tree/zones")
    (device.root / f"making/repair-{now.key}/zones/bog/far/a.pak/old").mkdir(parents=True)
    assert device.repair(shop).repaired == ["options.ini", "zones/bog/b.pak", "zones/bog/far/a.pak"]
    assert list(device.root.glob("making/*")) == []
    assert device.verify() == []


@pytest.mark.parametrize("bytes_", [None, b"\xff\xfe", b""])
def test_an_installation_whose_list_of_depots_is_damaged_is_installed_again(
    bytes_: bytes | None, shop: Shop, tmp_path: Path
) -> None:
    first, second = two(shop, tmp_path)
    device = fresh(tmp_path / "device", shop, first, keep_previous=False)
    chosen = device.root / "current/release/chosen.txt"
    chosen.chmod(0o644)
    if bytes_ is None:
        chosen.unlink()
    else:
        chosen.write_bytes(bytes_)
    with pytest.raises(Damaged):
        device.verify()
    report = device.update(second, shop.of(2))
    now = device.current()
    assert now is not None
    assert (now.statement.build, device.verify()) == (2, [])
    assert report.files


def test_only_chunks_that_the_disk_proves_are_good(tmp_path: Path) -> None:
    root = folder(tmp_path / "one", 1)
    tree = Shop().take(root)
    whole = good_chunks(root, tree)
    assert (whole.file >= 0).all()
    assert not whole.sound, "no file is taken as a whole"
    bog = root / "data/bog.pak"
    bog.write_bytes(b"x" + bog.read_bytes()[1:])
    (root / "maps/night-1.json").unlink()
    left = good_chunks(root, tree)
    gone = {tree.chunks[i].digest for i in range(len(tree.chunks)) if left.file[i] < 0}
    files = {f.path: f.chunks for f in tree.files}
    assert gone == {files["data/bog.pak"][0].digest, *(c.digest for c in files["maps/night-1.json"])}
    second = [i for i in range(len(tree.chunks)) if tree.chunks[i].digest == files["data/bog.pak"][1].digest]
    assert left.offset[second[0]] == files["data/bog.pak"][0].size


def frame(pack: int, offset: int, stored: int) -> FramePlace:
    return FramePlace(bytes([pack]) * 32, offset, stored, stored * 2)


@pytest.mark.parametrize(
    ("frames", "sizes"),
    [
        ([frame(1, 0, 10), frame(1, 10, 20)], [30]),
        ([frame(1, 5, 10), frame(1, 16, 20)], [10, 20]),
        ([frame(1, 0, 10), frame(2, 10, 20)], [10, 20]),
        ([frame(1, 7, REQUEST_LIMIT - 1), frame(1, 6 + REQUEST_LIMIT, 1)], [REQUEST_LIMIT]),
        ([frame(1, 7, REQUEST_LIMIT), frame(1, 7 + REQUEST_LIMIT, 1)], [REQUEST_LIMIT, 1]),
        ([], []),
    ],
)
def test_neighbours_come_with_one_request_up_to_a_limit(frames: list[FramePlace], sizes: list[int]) -> None:
    requests = list(requests_for(frames))
    assert [r.size for r in requests] == sizes
    assert [f for r in requests for f in r.frames] == frames
    assert all(r.offset == r.frames[0].offset and r.pack == r.frames[0].pack for r in requests)


def test_player_files_are_marked_by_rule_and_stay_executable_or_not(tmp_path: Path) -> None:
    plain = Shop().take(folder(tmp_path / "one", 1))
    tree = Tree(plain.files, (LinkEntry("start", "bin/peatlight"),))
    assert mark_player_files(tree, (), "keep") is tree
    for rule in ("keep", "replace", "aside"):
        marked = mark_player_files(tree, ("*.ini", "bin/"), rule)
        found = {f.path: (f.player_rule, f.executable) for f in marked.files}
        assert found["options.ini"] == (rule, False)
        assert found["bin/peatlight"] == (rule, True)
        assert found["data/same.pak"] == ("", False)
        assert marked.links == tree.links
        assert mark_player_files(marked, ("*.ini",), "keep").files.find("options.ini").player_rule == "keep"  # type: ignore[union-attr]
