"""The host of simulated devices that one can look at: `python -m rampa.local.screen_host FOLDER --port PORT --service ADDRESS`.

It serves http://127.0.0.1:PORT/SECRET/devices…, with the secret in RAMPA_SCREENS_SECRET, to the service alone, which knows who
may look at which device. Each device lies in a folder of its own, FOLDER/<device>, and works in a thread of its own.
"""

from __future__ import annotations

import argparse
import datetime as dt
import hmac
import json
import os
import pwd
import re
import shutil
import threading
import uuid
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from pydantic import ValidationError

from rampa.agent.isolation import find_sandbox
from rampa.agent.play import Player
from rampa.client import Client
from rampa.core.devices.screen import Conditions
from rampa.core.errors import Invalid, NotFound, RampaError, Refused
from rampa.schema.screens import HostedScreen, Screen, ScreenActIn, ScreenSet
from rampa.standin.device import SimulatedDevice, new_identity
from rampa.standin.screen import Play, ScreenDevice
from rampa.standin.screen_settings import ScreenSettings
from rampa.system import CLOCK

MOST = 40
"""Devices of one host."""
PAUSE = 0.25
BODY = 10_000
DEVICE = re.compile(r"/devices/([0-9a-f-]{36})(/picture|/acts|/settings)?")


class ScreenHost:
    """`service` is the service's address, as devices call it."""

    def __init__(self, folder: Path, service: str, play: Play) -> None:
        self._folder, self._service, self._play = folder, service, play
        self._lock = threading.Lock()
        self._devices: dict[str, ScreenDevice] = {}
        self._over = threading.Event()
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        for at in sorted(folder.iterdir()):
            try:
                self._begin(ScreenDevice(at, play, CLOCK))
            except (RampaError, OSError, ValueError, KeyError):
                continue  # half made when it was killed: nobody knows of it

    def end(self) -> None:
        self._over.set()

    def _begin(self, device: ScreenDevice) -> None:
        ident = device.device.identity.device_id
        self._devices[ident] = device

        def work() -> None:
            while not self._over.wait(PAUSE) and self._devices.get(ident) is device:
                device.work()

        threading.Thread(target=work, name=f"screen-{ident[:8]}", daemon=True).start()

    def add(self, asked: HostedScreen) -> Screen:
        """Registers it with its code, as every device does. Raises as that does, and `Refused` where there are too many."""
        with self._lock:
            if len(self._devices) >= MOST:
                raise Refused("screen.many", f"{MOST} simulated devices run here, and no more", hint="Take one out.")
        told, key = new_identity(asked.code, asked.name, asked.platform, asked.kind or f"{asked.form}-1")
        with Client(self._service) as unknown:
            made = unknown.devices.register_by_code(told)
        folder = self._folder / str(uuid.UUID(made.device_id))
        device = SimulatedDevice.add_registered(folder, made, told, self._service, key)
        screen = ScreenDevice.make(device, ScreenSettings(asked.form), self._play, CLOCK)
        with self._lock:
            self._begin(screen)
        return screen.screen()

    def get(self, ident: str) -> ScreenDevice:
        found = self._devices.get(ident)
        if found is None:
            raise NotFound("screen.unknown", "this device is not simulated here")
        return found

    def set(self, ident: str, asked: ScreenSet) -> Screen:
        device = self.get(ident)
        conditions = Conditions(asked.network, asked.room, dt.timedelta(seconds=asked.clock))
        device.set(ScreenSettings(device.settings.form, asked.habit, conditions))
        return device.screen()

    def remove(self, ident: str) -> None:
        with self._lock:
            device = self._devices.pop(ident, None)
        if device is not None:
            shutil.rmtree(device.device.folder, ignore_errors=True)

    def answer(self, method: str, path: str, body: bytes) -> tuple[str, bytes]:
        """(media type, content). Raises `NotFound`, `Invalid`, and what devices raise."""
        if (method, path) == ("POST", "/devices"):
            return _json(self.add(HostedScreen.model_validate_json(body)))
        match = DEVICE.fullmatch(path)
        if match is None:
            raise NotFound("screen.address", "there is nothing here")
        ident, part = match[1], match[2] or ""
        if (method, part) == ("GET", "/picture"):
            return "image/jpeg", self.get(ident).picture()
        if (method, part) == ("POST", "/acts"):
            self.get(ident).act(ScreenActIn.model_validate_json(body).act)
        elif (method, part) == ("POST", "/settings"):
            self.set(ident, ScreenSet.model_validate_json(body))
        elif (method, part) == ("DELETE", ""):
            self.remove(ident)
            return "application/json", b"{}"
        elif (method, part) != ("GET", ""):
            raise NotFound("screen.address", "there is nothing here")
        return _json(self.get(ident).screen())


def _json(screen: Screen) -> tuple[str, bytes]:
    return "application/json", screen.model_dump_json().encode()


def make_server(host: ScreenHost, port: int, secret: str) -> ThreadingHTTPServer:
    class Answers(BaseHTTPRequestHandler):
        timeout = 20

        def _answer(self) -> None:
            status, media = 200, "application/json"
            try:
                media, data = host.answer(self.command, self._path(), self._body())
            except ValidationError as error:
                status, data = 400, _problem(Invalid("screen.body", f"the call cannot be read ({error.error_count()})"))
            except RampaError as error:
                status, data = 400, _problem(error)
            self.send_response(status)
            self.send_header("Content-Type", media)
            self.send_header("Content-Length", str(len(data)))
            self.end_headers()
            self.wfile.write(data)

        do_GET = do_POST = do_DELETE = _answer

        def _path(self) -> str:
            _, given, rest = [*self.path.split("/", 2), "", ""][:3]
            if not hmac.compare_digest(given.encode(), secret.encode()):
                raise NotFound("screen.address", "there is nothing here")
            return f"/{rest}"

        def _body(self) -> bytes:
            size = int(self.headers.get("Content-Length") or 0)
            if not 0 <= size <= BODY:
                raise Invalid("screen.body", f"a call has at most {BODY} bytes")
            return self.rfile.read(size)

        def log_message(self, *_: object) -> None:
            """Addresses hold the secret: none is written down."""

    return ThreadingHTTPServer(("127.0.0.1", port), Answers)


def _problem(error: RampaError) -> bytes:
    said = {"kind": error.kind, "code": error.code, "message": error.message, "where": error.where, "hint": error.hint}
    return json.dumps(said).encode()


def player() -> Player:
    sandbox, why = find_sandbox([])
    user = pwd.getpwnam("nobody").pw_uid if os.geteuid() == 0 else None
    return Player(sandbox, why, user)


def main(make: Callable[[], Play] = player) -> None:
    parser = argparse.ArgumentParser(
        prog="python -m rampa.local.screen_host", description="Simulated devices to look at."
    )
    parser.add_argument("folder", type=Path)
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--service", required=True, metavar="ADDRESS")
    asked = parser.parse_args()
    # Not an argument: those are read by everybody on the machine.
    host = ScreenHost(asked.folder, asked.service, make())
    make_server(host, asked.port, os.environ["RAMPA_SCREENS_SECRET"]).serve_forever()


if __name__ == "__main__":
    main()
