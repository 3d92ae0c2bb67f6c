"""Simulated devices of players: one a browser, kept in the storefront's folder.

FOLDER/devices/NUMBER/device.json    its platform, and when it was last used
FOLDER/devices/NUMBER/titles         what is installed (rampa.standin.player)
"""

from __future__ import annotations

import json
import re
import secrets
import shutil
import threading
from concurrent.futures import ThreadPoolExecutor

import httpx

from rampa.core.errors import Conflict, Invalid, NotFound, Refused
from rampa.core.files import replace_file
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.platform.table import PLATFORMS
from rampa.standin.player import PlayerDevice, PlayerTitle
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront_asked import Connect
from rampa.system import CLOCK

MOST = 20
"""Devices of one storefront: each may hold titles of gigabytes."""
MOST_TITLES = 12
UNUSED_DAYS = 1
NUMBER = re.compile(r"[A-Za-z0-9_-]{22}")
USE_NOTED = 3600
"""Seconds within which a use is not written down once more."""


def over_http(address: str) -> Connect:
    return lambda: httpx.Client(base_url=address, timeout=30, trust_env=False, follow_redirects=False)


class PlayerDevices:
    """Each is found by its number, which only its browser knows. `work` is done by two threads, one title each."""

    def __init__(self, shop: Shop, connect: Connect) -> None:
        self._shop, self._connect = shop, connect
        self._folder = shop.folder / "devices"
        self._open: dict[str, PlayerDevice] = {}
        self._lock = threading.Lock()
        self._threads = ThreadPoolExecutor(2, "players")

    @property
    def platforms(self) -> dict[str, str]:
        """Name -> title, of those that the storefront brings titles to."""
        return {p: PLATFORMS[p].title for p in STOREFRONTS[self._shop.character.name].platforms}

    def make(self, platform: str) -> PlayerDevice:
        """Raises `Refused` where there are too many that are in use."""
        if platform not in self.platforms:
            raise Invalid("player.platform", "this storefront has no titles for that", where="platform")
        with self._lock:
            self._make_room()
            number = secrets.token_urlsafe(16)
            (self._folder / number).mkdir(parents=True, mode=0o700)
            self._note(number, platform)
            return self._opened(number, platform)

    def find(self, number: str) -> PlayerDevice:
        """Raises `NotFound`."""
        with self._lock:
            if NUMBER.fullmatch(number) and (self._folder / number / "device.json").exists():
                said = self._said(number)
                if self._shop.now().timestamp() - float(said["used"]) > USE_NOTED:
                    self._note(number, said["platform"])
                return self._open.get(number) or self._opened(number, said["platform"])
        raise NotFound("player.device", "you have no simulated device here", hint="Get one on the page of your device.")

    def give_back(self, device: PlayerDevice) -> None:
        """With all that is on it. Raises `Conflict` while something is installed."""
        if any(t.busy for t in device.titles()):
            raise Conflict("player.busy", "something is being installed on it", hint="Stop that first.")
        with self._lock:
            self._open.pop(device.number, None)
            shutil.rmtree(device.folder, ignore_errors=True)

    def install(self, device: PlayerDevice, identifier: str) -> PlayerTitle:
        """Goes on by itself. Raises `Conflict` where it is under way, `Refused` where the device has too many titles."""
        others = [t for t in device.titles() if t.identifier != identifier]
        if len(others) >= MOST_TITLES:
            raise Refused("player.many", f"a simulated device holds {MOST_TITLES} titles", hint="Remove one first.")
        began = device.begin(identifier)
        self._threads.submit(device.install, identifier)
        return began

    def close(self) -> None:
        with self._lock:
            devices = list(self._open.values())
        for device in devices:
            device.stop_all()
        self._threads.shutdown()

    def _opened(self, number: str, platform: str) -> PlayerDevice:
        device = PlayerDevice(self._folder / number, number, platform, self._connect, CLOCK)
        self._open[number] = device
        return device

    def _note(self, number: str, platform: str) -> None:
        said = {"platform": platform, "used": self._shop.now().timestamp()}
        replace_file(self._folder / number / "device.json", json.dumps(said).encode())

    def _said(self, number: str) -> dict[str, str]:
        said: dict[str, str] = json.loads((self._folder / number / "device.json").read_text())
        return said

    def _used(self, number: str) -> float:
        """When; a folder that says nothing was begun by somebody who was ended at it."""
        try:
            return float(self._said(number)["used"])
        except (OSError, ValueError, KeyError):
            return 0.0

    def _make_room(self) -> None:
        there = sorted(self._folder.iterdir()) if self._folder.is_dir() else []
        before = self._shop.now().timestamp() - UNUSED_DAYS * 86_400
        unused = [f for f in there if self._used(f.name) < before]
        if len(there) - len(unused) >= MOST:
            message = f"{MOST} simulated devices are in use at this storefront"
            raise Refused(
                "player.devices", message, hint="Give one back; one that nobody used for a day goes by itself."
            )
        for folder in unused if len(there) >= MOST else []:
            self._open.pop(folder.name, None)
            shutil.rmtree(folder, ignore_errors=True)
