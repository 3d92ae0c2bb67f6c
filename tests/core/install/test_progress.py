"""What an installation tells while it works, and what it reports afterwards, to the byte."""

from __future__ import annotations

from itertools import groupby, pairwise
from pathlib import Path

import pytest

from rampa.core.content.patch import maker
from rampa.core.content.tree.tree import Tree
from rampa.core.errors import Damaged
from rampa.core.install.fill import TRIES
from rampa.core.install.install import Installation
from rampa.core.install.progress import FillReport, Progress
from tests.core.install.test_going_back import Counting
from tests.core.install.test_install import KEY, TITLE, Shop, installed
from tests.refusals import refuses
from tests.samples import change_folder, make_folder, noise


class Told:
    """The progress of one act, phase by phase."""

    def __init__(self) -> None:
        self.every: list[Progress] = []

    def __call__(self, progress: Progress) -> None:
        self.every.append(progress)

    @property
    def phases(self) -> dict[str, list[tuple[int, int]]]:
        return {
            phase: [(p.done, p.total) for p in group] for phase, group in groupby(self.every, key=lambda p: p.phase)
        }


def rises(steps: list[tuple[int, int]], *, to_the_end: bool = True) -> bool:
    """From nothing, never back, to the whole."""
    done = [at for at, _ in steps]
    whole = {total for _, total in steps}
    return (
        done[0] == 0
        and all(a <= b for a, b in pairwise(done))
        and len(whole) == 1
        and (done[-1] == steps[-1][1] or not to_the_end)
    )


@pytest.fixture
def source(tmp_path: Path) -> Path:
    return make_folder(tmp_path / "source", 900_000)


@pytest.fixture
def device(tmp_path: Path) -> Installation:
    return Installation(tmp_path / "device", TITLE, KEY.public_key().public_bytes_raw(), clock=Counting())


def update(device: Installation, shop: Shop, tree: Tree, number: int) -> tuple[FillReport, Told]:
    told = Told()
    envelope = shop.release(number, tree)
    return device.update(envelope, shop.of(number), on=told), told


def test_a_first_install_downloads_and_verifies_everything(device: Installation, shop: Shop, source: Path) -> None:
    tree = shop.take(source)
    shop.sent = 0
    report, told = update(device, shop, tree, 1)
    assert list(told.phases) == ["download", "verify"]
    assert all(rises(steps) for steps in told.phases.values())
    assert told.phases["download"][-1] == (shop.sent, shop.sent)
    assert told.phases["verify"][-1] == (tree.size, tree.size)
    assert (report.downloaded, report.reused, report.written) == (shop.sent, 0, tree.size)
    assert (report.files, report.kept, report.aside, report.repaired) == (len(tree.files), [], [], [])
    assert report.metadata > 0
    assert report.seconds > 0


def test_an_update_reuses_what_is_there(device: Installation, shop: Shop, source: Path) -> None:
    installed(device, shop, shop.take(source))
    change_folder(source)
    tree = shop.take(source)
    shop.sent = 0
    report, told = update(device, shop, tree, 2)
    assert list(told.phases) == ["reuse", "download", "verify"]
    assert all(rises(steps) for steps in told.phases.values())
    copied, new = told.phases["reuse"][-1][1], told.phases["verify"][-1][1]
    linked = report.reused - copied
    assert (report.downloaded, told.phases["download"][-1][1]) == (shop.sent, shop.sent)
    # Linked whole, copied chunk by chunk, or brought: each byte of the new build once.
    assert linked + new == tree.size
    assert report.written == new
    assert 0 < shop.sent < tree.size


@pytest.mark.skipif(not maker.available(), reason="no compiled kernel")
def test_differences_count_as_they_travel(device: Installation, shop: Shop, source: Path, tmp_path: Path) -> None:
    before = make_folder(tmp_path / "before", 900_000)
    first = shop.take(before)
    installed(device, shop, first)
    change_folder(source)
    second = shop.take(source)
    made = shop.prepare(first, second, (before, source))
    assert made.places
    shop.sent = 0
    report, told = update(device, shop, second, 2)
    assert rises(told.phases["download"])
    assert told.phases["download"][-1] == (shop.sent, shop.sent)
    assert report.downloaded == shop.sent
    assert sum(p.stored for p in made.places) <= shop.sent


def test_what_an_interrupted_install_left_is_reused(device: Installation, shop: Shop, source: Path) -> None:
    tree = shop.take(source)
    shop.fail = True
    with pytest.raises(Exception, match="network is gone"):
        update(device, shop, tree, 1)
    shop.fail, shop.sent = False, 0
    report, _ = update(device, shop, tree, 1)
    assert report.downloaded == shop.sent
    half = Told()

    class Enough(Exception):
        pass

    def stop(progress: Progress) -> None:
        half(progress)
        if progress.phase == "download" and progress.done > 0:
            raise Enough

    change_folder(source)
    grown = shop.take(source)
    envelope = shop.release(2, grown)
    with pytest.raises(Enough):
        device.update(envelope, shop.of(2), on=stop)
    shop.sent = 0
    again, told = update(device, shop, grown, 2)
    assert again.reused > 0
    assert again.downloaded == shop.sent
    assert device.verify() == []
    assert told.phases["verify"][-1][0] == told.phases["verify"][-1][1]


@pytest.mark.parametrize(("spoilt", "ends"), [(TRIES - 1, True), (1000, False)])
def test_spoilt_bytes_are_asked_for_again_and_again(
    spoilt: int, ends: bool, device: Installation, shop: Shop, source: Path
) -> None:
    tree = shop.take(source)
    envelope = shop.release(1, tree)
    started = shop.sent
    shop.spoil = spoilt
    if not ends:
        with pytest.raises(Damaged):
            device.update(envelope, shop)
        assert device.current() is None
        return
    report = device.update(envelope, shop)
    assert report.downloaded == shop.sent - started, "what was spoilt travelled as well"
    assert device.verify() == []


def test_what_was_begun_for_another_build_makes_room(device: Installation, shop: Shop, tmp_path: Path) -> None:
    """Cut off on the way to one build, then sent to the next: two builds beside the installed one would fill a disk."""
    folder = make_folder(tmp_path / "folder", 300_000)
    device.update(shop.release(1, shop.take(folder)), shop)
    shop.fail = True
    for number in (2, 3):
        (folder / "data/fog.bin").write_bytes(noise(60_000, number))
        with refuses("gone"):
            device.update(shop.release(number, shop.take(folder)), shop)
        assert [begun.name.partition("-")[0] for begun in (device.root / "making").iterdir()] == [str(number)]
    shop.fail = False
    device.update(shop.release(4, shop.last), shop)
    assert not (device.root / "making").exists() or not list((device.root / "making").iterdir())
    assert device.verify() == []
