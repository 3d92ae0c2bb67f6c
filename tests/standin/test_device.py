"""A simulated device without a service: its folder, its lock, what it can start."""

from __future__ import annotations

import datetime as dt
import fcntl
import hashlib
import os
from dataclasses import replace
from pathlib import Path

import pytest

from rampa.core.placement.share import ALL, OfferedBuild
from rampa.core.signing.offer import LIFE, Offer, sign
from rampa.standin.device import FILE, DeviceIdentity, SimulatedDevice
from tests.core.install.test_install import KEY, TITLE, Shop
from tests.refusals import refuses
from tests.samples import make_folder

IDENTITY = DeviceIdentity(
    "desk", "peatlight", TITLE, "linux", "studio", "http://127.0.0.1:1", KEY.public_key().public_bytes_raw().hex()
)


@pytest.fixture
def shop(tmp_path: Path) -> Shop:
    made = Shop()
    folder = make_folder(tmp_path / "source", 20_000)
    (folder / "bin/peatlight").write_text("#!/bin/sh\necho $1 >told\nexit 3\n")
    (folder / "bin/peatlight").chmod(0o755)
    made.last = made.take(folder)
    return made


@pytest.fixture
def device(tmp_path: Path) -> SimulatedDevice:
    SimulatedDevice.must_be_free(tmp_path / "desk")
    (tmp_path / "desk").mkdir()
    return SimulatedDevice.add(tmp_path / "desk", IDENTITY)


def quiet(_: object) -> None:
    """Nobody watches."""


def update(device: SimulatedDevice, shop: Shop, number: int, **more: object) -> None:
    """As its channel offers it."""
    statement = shop.release(number, shop.last, **more)
    now = dt.datetime.now(dt.UTC)
    digest = hashlib.sha256(statement).hexdigest()
    offer = Offer(TITLE, "studio", "linux", number, (OfferedBuild(number, number, digest, "r", ALL),), now, now + LIFE)
    device.update(sign(offer, KEY), statement, shop, quiet)


def test_a_folder_holds_one_device_and_nothing_else(device: SimulatedDevice, tmp_path: Path) -> None:
    assert SimulatedDevice(device.folder).identity == IDENTITY
    with refuses("device.exists"):
        SimulatedDevice.must_be_free(device.folder)
    (tmp_path / "full").mkdir()
    (tmp_path / "full/fog").touch()
    with refuses("device.folder"):
        SimulatedDevice.must_be_free(tmp_path / "full")
    with refuses("device.none", where="full"):
        SimulatedDevice(tmp_path / "full")
    for text in ("{", "[]", '{"name": "desk"}'):
        (device.folder / FILE).write_text(text)
        with refuses("device.damaged"):
            SimulatedDevice(device.folder)


def test_what_is_installed_starts_in_its_own_tree(device: SimulatedDevice, shop: Shop) -> None:
    with refuses("install.none"):
        device.start([])
    assert device.installed_build() is None
    update(device, shop, 1)
    assert device.installed_build() == 1
    assert device.start(["the lantern"]) == 3
    now = device.installed()
    assert now
    assert (device.installation.tree_folder(now) / "told").read_text() == "the lantern\n"


def test_what_cannot_be_started_says_why(device: SimulatedDevice, shop: Shop) -> None:
    update(device, shop, 1, launch="data/bog.arc")
    with refuses("device.start", where="data/bog.arc"):
        device.start([])
    update(device, shop, 2, platform="windows")
    with refuses("device.platform", "a build for windows"):
        device.start([])


def test_one_update_at_a_time(device: SimulatedDevice, shop: Shop) -> None:
    fd = os.open(device.folder / FILE, os.O_RDONLY)
    fcntl.flock(fd, fcntl.LOCK_EX)
    with refuses("device.busy"):
        update(device, shop, 1)
    os.close(fd)
    update(device, shop, 1)
    assert device.uninstall() > 0
    assert device.installed() is None


def test_a_choice_counts_from_the_next_update_on(device: SimulatedDevice, shop: Shop) -> None:
    update(device, shop, 1)
    device.choose(replace(IDENTITY, keep_previous=True))
    again = SimulatedDevice(device.folder)
    update(again, shop, 2)
    assert again.installation.roll_back().statement.build == 1
