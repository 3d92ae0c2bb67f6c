"""A simulated device that one can look at: it looks for builds, installs them, starts the title, in the conditions that somebody
puts it in. Everything but the machine is real: keys, calls, signatures, files, the program that is started.

FOLDER/screen.json    its form, its habit, its conditions (rampa.standin.screen_settings)
FOLDER/picture.jpg    what the title's program drew last
"""

from __future__ import annotations

import datetime as dt
import itertools
import threading
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

from rampa.client.devices.delivery import device_report
from rampa.core.ambient import Clock
from rampa.core.devices.screen import (
    SLOW_RATE,
    TRANSITIONS,
    Form,
    Network,
    ScreenAct,
    ScreenEvent,
    ScreenState,
    UpdateHabit,
)
from rampa.core.errors import Conflict, NotFound, RampaError, Refused, Unavailable
from rampa.core.files import replace_file
from rampa.core.health.comparison import Trouble
from rampa.core.health.crash import CrashReport
from rampa.core.install.progress import Progress
from rampa.core.install.rate import RateLimited
from rampa.core.transitions import advance, possible
from rampa.schema.screens import Screen, ScreenBuild, ScreenProgress
from rampa.standin.conditions import Troubled
from rampa.standin.device import SimulatedDevice
from rampa.standin.screen_settings import ScreenSettings, read_settings, write_settings
from rampa.standin.ways import calling, looked, must_be_granted, report

PICTURE = "picture.jpg"
LOOK_EVERY = 15.0
"""Seconds between two looks by itself."""


@dataclass(frozen=True)
class Played:
    """What became of a start: `crashed` says by what; `picture` is what the program drew (JPEG), empty for none."""

    said: str
    crashed: str = ""
    picture: bytes = b""
    crash: CrashReport | None = None
    seconds: float = 0.0


Play = Callable[[Path, str, str, Form], Played]
"""(the installed tree, the launch entry, the class of device, the form) -> what became of it. Raises `Refused` where this machine
cannot."""


@dataclass
class _Shown:
    """What changes while somebody looks."""

    state: ScreenState = ScreenState.HOME
    found: ScreenBuild | None = None
    progress: ScreenProgress | None = None
    trouble: str = ""
    said: str = ""
    looked_at: dt.datetime | None = None
    stopped: bool = False
    restarted: bool = False
    last_look: float = field(default=-LOOK_EVERY)


class Stopped(Exception):
    """Its person stopped the install."""


class ScreenDevice:
    """`act` may be called by any thread; what takes long is done by `work`, which one thread calls again and again."""

    def __init__(self, folder: Path, play: Play, clock: Clock) -> None:
        self.device = SimulatedDevice(folder)
        self._play, self._clock = play, clock
        self._lock = threading.Lock()
        self._shown = _Shown()
        self._turns = itertools.count()
        self.settings = read_settings(folder)

    @classmethod
    def make(cls, device: SimulatedDevice, settings: ScreenSettings, play: Play, clock: Clock) -> ScreenDevice:
        write_settings(device.folder, settings)
        return cls(device.folder, play, clock)

    def set(self, settings: ScreenSettings) -> None:
        with self._lock:
            self.settings = replace(settings, form=self.settings.form)
            write_settings(self.device.folder, self.settings)
            self.device.installation.room = settings.conditions.room

    def picture(self) -> bytes:
        """Raises `NotFound` before anything was drawn."""
        try:
            return (self.device.folder / PICTURE).read_bytes()
        except FileNotFoundError as error:
            raise NotFound("screen.no-picture", "its title has drawn nothing yet", hint="Start it.") from error

    def screen(self) -> Screen:
        who, now = self.device.identity, self._installed()
        with self._lock:
            shown, settings = self._shown, self.settings
            acts = {e.value for e in possible(TRANSITIONS, shown.state)} & {a.value for a in ScreenAct}
            return Screen(
                device=who.device_id,
                name=who.name,
                title=who.title,
                channel=who.channel,
                platform=who.platform,
                form=settings.form,
                state=shown.state,
                installed=now,
                found=shown.found,
                progress=shown.progress,
                trouble=shown.trouble,
                said=shown.said,
                looked_at=shown.looked_at,
                habit=settings.habit,
                network=settings.conditions.network,
                room=settings.conditions.room,
                clock=settings.conditions.clock.total_seconds(),
                has_picture=(self.device.folder / PICTURE).exists(),
                acts=sorted(ScreenAct(a) for a in acts if a != ScreenAct.START or now is not None),
            )

    def _installed(self) -> ScreenBuild | None:
        try:
            found = self.device.installed()
        except RampaError:
            return None
        if found is None:
            return None
        return ScreenBuild(build=found.statement.build, version_name=found.statement.version_name)

    def act(self, act: ScreenAct) -> None:
        """Raises `Conflict` where that is not possible now."""
        with self._lock:
            shown = self._shown
            if act is ScreenAct.STOP:
                advance(TRANSITIONS, shown.state, ScreenEvent.STOP, "this device")
                shown.stopped = True
                return
            if act is ScreenAct.START and self._installed() is None:
                raise Conflict(
                    "screen.empty", "nothing is installed on this device", hint="Install what its channel has."
                )
            shown.state = advance(TRANSITIONS, shown.state, ScreenEvent(act), "this device")
            shown.trouble, shown.said = "", ""
            if act is ScreenAct.RESTART:
                shown.found = None
            shown.restarted = act is ScreenAct.RESTART

    def work(self) -> None:
        """What its state asks for now; returns when that is done."""
        with self._lock:
            if self._shown.state in (ScreenState.HOME, ScreenState.WAITING) and self._is_due():
                self._shown.state = advance(TRANSITIONS, self._shown.state, ScreenEvent.LOOK, "this device")
                self._shown.restarted = False
            state = self._shown.state
        if state is ScreenState.LOOKING:
            self._look()
        elif state is ScreenState.INSTALLING:
            self._install()
        elif state is ScreenState.PLAYING:
            self._start()

    def _is_due(self) -> bool:
        return self._clock.seconds() - self._shown.last_look >= LOOK_EVERY

    def _look(self) -> None:
        found, trouble = None, ""
        try:
            found = self._found()
        except NotFound as error:
            trouble = "" if error.code == "offer.nothing" else error.sentence()
        except RampaError as error:
            trouble = error.sentence()
        with self._lock:
            shown, habit = self._shown, self.settings.habit
            shown.last_look, shown.looked_at = self._clock.seconds(), dt.datetime.now(dt.UTC)
            shown.found, shown.trouble = found, trouble
            event = ScreenEvent.FIND if found else ScreenEvent.NOTHING
            shown.state = advance(TRANSITIONS, shown.state, event, "this device")
            first = self._installed() is None
            by_itself = habit is UpdateHabit.BY_ITSELF or (habit is UpdateHabit.AFTER_RESTART and shown.restarted)
            if found and by_itself and not first:
                shown.state = advance(TRANSITIONS, shown.state, ScreenEvent.INSTALL, "this device")

    def _now(self) -> dt.datetime:
        return self.settings.conditions.now(dt.datetime.now(dt.UTC))

    def _must_reach(self) -> None:
        if self.settings.conditions.network is Network.GONE:
            raise Unavailable("network.gone", "this simulated device has no network")

    def _found(self) -> ScreenBuild | None:
        """What its channel has for it, where that is not installed."""
        self._must_reach()
        with calling(self.device) as client, looked(client, self.device, now=self._now) as there:
            if there.build == self.device.installed_build():
                return None
            return ScreenBuild(build=there.build, version_name=there.version_name)

    def _install(self) -> None:
        before, trouble, event = self.device.installed_build(), "", ScreenEvent.DONE
        began = self._clock.seconds()
        self._shown.stopped = False
        self.device.installation.room = self.settings.conditions.room
        try:
            self._must_reach()
            with calling(self.device) as client, looked(client, self.device, now=self._now) as found:
                must_be_granted(client, self.device, found.build)
                delivery = Troubled(found.delivery, self.settings.conditions.network, self._turns)
                rate = SLOW_RATE if self.settings.conditions.network is Network.SLOW else 0.0
                try:
                    done = found.install(RateLimited(delivery, rate, self._clock), self._progress(began))
                except RampaError as error:
                    self.device.note(found.build, Trouble.INSTALL, bad=True, cause=error.code)
                    raise
                if found.build != before:
                    self.device.note(found.build, Trouble.INSTALL, bad=False, seconds=done.seconds)
                report(
                    client, self.device, found.token, device_report(found.build, done), changed=found.build != before
                )
        except Stopped:
            event, trouble = ScreenEvent.STOP, "Stopped. What came so far is kept, and goes on with the next install."
        except RampaError as error:
            event, trouble = ScreenEvent.STOP, error.sentence()
        with self._lock:
            shown = self._shown
            shown.state = advance(TRANSITIONS, shown.state, event, "this device")
            shown.found = None if event is ScreenEvent.DONE else shown.found
            shown.progress, shown.trouble, shown.last_look = None, trouble, self._clock.seconds()

    def _progress(self, began: float) -> Callable[[Progress], None]:
        def on(progress: Progress) -> None:
            if self._shown.stopped:
                raise Stopped
            passed = max(self._clock.seconds() - began, 0.001)
            rate = progress.done / passed
            left = (progress.total - progress.done) / rate if rate else None
            self._shown.progress = ScreenProgress(
                phase=progress.phase, done=progress.done, total=progress.total, rate=rate, seconds_left=left
            )

        return on

    def _start(self) -> None:
        now, event, trouble, said = self.device.installed(), ScreenEvent.END, "", ""
        try:
            if now is None:
                raise NotFound("install.none", "nothing is installed on this device")
            build = now.statement.build
            tree = self.device.installation.tree_folder(now)
            played = self._play(tree, now.statement.launch, self.device.identity.kind, self.settings.form)
            said = played.said
            self.device.note(build, Trouble.LAUNCH, bad=False)
            self.device.note(
                build, Trouble.SESSION, bad=bool(played.crashed), seconds=played.seconds, crash=played.crash
            )
            if played.picture:
                replace_file(self.device.folder / PICTURE, played.picture)
            if played.crashed:
                event, trouble = ScreenEvent.CRASH, played.crashed
        except RampaError as error:
            trouble = error.sentence()
            if isinstance(error, Refused) and now is not None and error.code == "screen.not-started":
                self.device.note(now.statement.build, Trouble.LAUNCH, bad=True, cause="launch.not-started")
        with self._lock:
            self._shown.state = advance(TRANSITIONS, self._shown.state, event, "this device")
            self._shown.trouble, self._shown.said = trouble, said
