"""A simulated device: a folder that stands for a player's machine. It says so wherever it is shown.

FOLDER/device.json   who it is, which channel it follows, the title's key that it pinned when it was registered
FOLDER/offer.dsse    the last offer that it took: no older one is taken after it
FOLDER/device.key    its own key, made here; the service has the public half
FOLDER/uses          how many sessions it opened with that: a copy of the folder falls behind
FOLDER/reports.json  what happened and was not reported yet (rampa.standin.reports)
FOLDER/crash.json    what the title's program left behind when it crashed (rampa.core.health.crash)
FOLDER/trust/        what it saw of the title's trust (rampa.standin.trusted)
FOLDER/title/        the installation (rampa.core.install.install)
"""

from __future__ import annotations

import datetime as dt
import fcntl
import json
import os
import secrets
import subprocess
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from pathlib import Path

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.content.depots.choice import Choice
from rampa.core.devices.proof import registration
from rampa.core.errors import Conflict, Damaged, Invalid, NotFound
from rampa.core.files import replace_file
from rampa.core.health.comparison import Trouble
from rampa.core.health.crash import CrashReport, left_behind
from rampa.core.install.delivery import Delivery
from rampa.core.install.folder import Installed
from rampa.core.install.install import Installation
from rampa.core.install.progress import FillReport, Progress
from rampa.core.placement.share import Having, OfferedBuild
from rampa.core.signing.grant import must_allow, read
from rampa.core.signing.offer import Follower, chosen, must_admit, must_hold, verify
from rampa.schema.devices import RegisterDevice, Registered
from rampa.schema.health import HealthBatch
from rampa.standin.reports import Reports
from rampa.system import CLOCK

FILE, OFFER, CRASH, KEY, USES = "device.json", "offer.dsse", "crash.json", "device.key", "uses"
Listener = Callable[[Progress], None]


@dataclass(frozen=True)
class DeviceIdentity:
    """`key` is the title's manifest key (hexadecimal), pinned; `service` the address that it was registered at."""

    name: str
    title: str
    identifier: str
    platform: str
    channel: str
    service: str
    key: str
    number: str = ""
    """A random one; it says which part of a rollout the device is in."""
    architecture: str = ""
    languages: list[str] | None = None
    addons: list[str] | None = None
    quality: str = ""
    keep_previous: bool = False
    form: str = ""
    """Its class, such as visor-2; empty: by its platform."""
    reports: bool = True
    """Whether it reports what happened; its person's switch."""
    device_id: str = ""
    """What the service knows it by; empty for one of before devices had keys."""

    @property
    def kind(self) -> str:
        """The class of device that it reports as, and that a title's program is told."""
        return self.form or f"{self.platform}-1"

    @property
    def choice(self) -> Choice:
        languages, addons = self.languages, self.addons
        return Choice(
            self.architecture,
            None if languages is None else tuple(languages),
            None if addons is None else tuple(addons),
            self.quality,
        )


def new_identity(code: str, name: str, platform: str, form: str) -> tuple[RegisterDevice, Ed25519PrivateKey]:
    """What a new device says of itself to be registered, and the key that it made for it."""
    key = Ed25519PrivateKey.generate()
    asked = RegisterDevice(
        code=code,
        public_key=key.public_key().public_bytes_raw().hex(),
        proof=key.sign(registration(code)).hex(),
        name=name,
        platform=platform,
        form=form,
        number=secrets.token_hex(16),
        simulated=True,
    )
    return asked, key


class SimulatedDevice:
    """The folder of a registered device."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        try:
            self.identity = DeviceIdentity(**json.loads((folder / FILE).read_text()))
            self.installation = Installation(
                folder / "title",
                self.identity.identifier,
                bytes.fromhex(self.identity.key),
                keep_previous=self.identity.keep_previous,
                clock=CLOCK,
            )
        except FileNotFoundError as error:
            raise NotFound(
                "device.none",
                "there is no simulated device in this folder",
                where=str(folder),
                hint="Make one: `rampa device add FOLDER --title TITLE --channel studio`.",
            ) from error
        except (ValueError, TypeError) as error:
            raise Invalid(
                "device.damaged", "the device's file cannot be read", where=str(folder / FILE), hint="Add it again."
            ) from error

    @classmethod
    def add(cls, folder: Path, identity: DeviceIdentity) -> SimulatedDevice:
        replace_file(folder / FILE, json.dumps(asdict(identity), indent=1).encode())
        return cls(folder)

    @classmethod
    def add_registered(
        cls, folder: Path, made: Registered, asked: RegisterDevice, service: str, key: Ed25519PrivateKey
    ) -> SimulatedDevice:
        """As the service answered; `service` is its address."""
        folder.mkdir(parents=True, exist_ok=True)
        replace_file(folder / KEY, key.private_bytes_raw().hex().encode(), 0o600)
        identity = DeviceIdentity(
            made.name, made.title, made.identifier, made.platform, made.channel, service, made.manifest_key, asked.number,
            form=asked.form, device_id=made.device_id,
        )  # fmt: skip
        return cls.add(folder, identity)

    def key(self) -> Ed25519PrivateKey:
        """Raises `Invalid` where it cannot be read."""
        try:
            return Ed25519PrivateKey.from_private_bytes(bytes.fromhex((self.folder / KEY).read_text()))
        except (OSError, ValueError) as error:
            where = str(self.folder / KEY)
            raise Invalid("device.key", "the device's key cannot be read", where=where, hint="Add it again.") from error

    @contextmanager
    def count(self) -> Iterator[int]:
        """The number of the next session, kept before it is used. Others of this folder wait until it was opened:
        the service would else take the one that comes late for a copy."""
        at = self.folder / USES
        fd = os.open(at, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(fd, fcntl.LOCK_EX)
            uses = int(os.read(fd, 20) or b"0") + 1
            os.pwrite(fd, f"{uses:020d}".encode(), 0)
            os.fsync(fd)
            yield uses
        except ValueError as error:
            raise Invalid(
                "device.damaged", "the device's file cannot be read", where=str(at), hint="Add it again."
            ) from error
        finally:
            os.close(fd)

    @classmethod
    def must_be_free(cls, folder: Path) -> None:
        if (folder / FILE).exists():
            raise Conflict("device.exists", "there is a simulated device in this folder already", where=str(folder))
        if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
            raise Conflict(
                "device.folder", "this folder is not empty", where=str(folder), hint="Name a new or an empty folder."
            )

    def installed(self) -> Installed | None:
        return self.installation.current()

    def installed_build(self) -> int | None:
        """The number of the installed build, None when there is none or its manifests are damaged."""
        return self.having().build or None

    def note(
        self,
        build: int,
        kind: Trouble,
        *,
        bad: bool,
        cause: str = "",
        seconds: float = 0.0,
        crash: CrashReport | None = None,
    ) -> None:
        """Kept to be reported; nothing where its person switched that off."""
        if self.identity.reports and self.identity.number:
            Reports(self.folder).note(build, kind, bad=bad, cause=cause, seconds=seconds, crash=crash)

    def to_report(self, token: str) -> HealthBatch | None:
        """What is to be sent with this token; None for nothing."""
        who = self.identity
        return Reports(self.folder).batch(token, who.number, who.kind) if who.reports and who.number else None

    def token_of(self, offer: bytes) -> str:
        """What reports are sent with, as a signed offer says."""
        return verify(offer, bytes.fromhex(self.identity.key)).reports

    def reported(self, batch: HealthBatch) -> None:
        Reports(self.folder).taken(batch)

    def must_be_granted(self, signed: bytes, identifier: str, certificate: str, now: dt.datetime) -> None:
        """Raises `Refused` when the grant does not let this device run what `certificate` signed; `Damaged` when it is forged."""
        must_allow(read(signed), self.identity.name, identifier, certificate, now)

    def update(
        self, offer: bytes, envelope: bytes, delivery: Delivery, on: Listener, now: dt.datetime | None = None
    ) -> FillReport:
        """Raises `Refused` for a build that its channel's line does not offer now."""
        with self._alone():
            wanted = must_admit(offer, envelope, self._follower(), now or dt.datetime.now(dt.UTC))
            # Before anything is installed: cut off in between, the device still takes nothing older.
            replace_file(self.folder / OFFER, offer)
            return self.installation.update(envelope, delivery, on, self.identity.choice, back=wanted.back)

    def install(self, envelope: bytes, delivery: Delivery, on: Listener, *, back: bool) -> FillReport:
        """What a signed line has for it (rampa.standin.trusted)."""
        with self._alone():
            return self.installation.update(envelope, delivery, on, self.identity.choice, back=back)

    def wanted(self, offer: bytes, now: dt.datetime | None = None) -> OfferedBuild:
        """Which of its line's builds this device is to have. Raises `NotFound` for none, `Refused` for an offer that does not
        hold."""
        follower = self._follower()
        return chosen(must_hold(offer, follower, now or dt.datetime.now(dt.UTC)), follower)

    def _follower(self) -> Follower:
        last = self.folder / OFFER
        who = self.identity
        return Follower(
            who.identifier,
            who.channel,
            who.platform,
            bytes.fromhex(who.key),
            who.number or who.name,
            last.read_bytes() if last.exists() else b"",
            self.having(),
        )

    def having(self) -> Having:
        try:
            now = self.installation.current()
        except Damaged:
            return Having()
        return Having(now.statement.build, now.statement.version_code) if now else Having()

    def verify(self, on: Listener) -> list[str]:
        return self.installation.verify(on)

    def repair(self, delivery: Delivery, on: Listener) -> FillReport:
        with self._alone():
            return self.installation.repair(delivery, on)

    def roll_back(self) -> Installed:
        with self._alone():
            return self.installation.roll_back()

    def uninstall(self) -> int:
        with self._alone():
            return self.installation.uninstall()

    def choose(self, identity: DeviceIdentity) -> None:
        """From the next update on."""
        SimulatedDevice.add(self.folder, identity)
        if not identity.reports:
            Reports(self.folder).forget()

    def start(self, arguments: list[str]) -> int:
        """Starts the launch entry with the installed tree as its working folder; returns its exit code."""
        now = self.installation.current()
        if now is None:
            raise NotFound("install.none", "nothing is installed on this device", hint="Run `rampa device update`.")
        if now.statement.platform != "linux":
            raise Invalid(
                "device.platform",
                f"this machine cannot start a build for {now.statement.platform}",
                hint="Verifying and updating work; starting needs the platform itself.",
            )
        tree = self.installation.tree_folder(now)
        entry, build = tree / now.statement.launch, now.statement.build
        began, left = CLOCK.seconds(), (self.folder / CRASH).resolve()
        left.unlink(missing_ok=True)
        told = {**os.environ, "RAMPA_CRASH_REPORT": str(left), "RAMPA_DEVICE_CLASS": self.identity.kind}
        try:
            code = subprocess.run([str(entry.resolve()), *arguments], cwd=tree, env=told, check=False).returncode
            self.note(build, Trouble.LAUNCH, bad=False)
            # Ended by a signal: that is what a crash is; an exit code is the title's own business.
            crash = left_behind(left) if code < 0 else None
            self.note(build, Trouble.SESSION, bad=code < 0, seconds=CLOCK.seconds() - began, crash=crash)
            return code
        except OSError as error:
            self.note(build, Trouble.LAUNCH, bad=True, cause="launch.not-started")
            raise Invalid(
                "device.start", f"the launch entry cannot be started ({error.strerror})", where=str(entry)
            ) from error

    @contextmanager
    def _alone(self) -> Iterator[None]:
        """One update at a time; the lock dies with its process."""
        fd = os.open(self.folder / FILE, os.O_RDONLY)
        try:
            fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
            yield
        except BlockingIOError as error:
            raise Conflict("device.busy", "this device is being updated by another process") from error
        finally:
            os.close(fd)
