"""The screen of a simulated device: what it shows, what its person can do there, and what is wrong with where it stands.

home --look--> looking --find--> waiting --install--> installing --done--> home
                  `----nothing---> home      ^              `--stop--> home
home, waiting --start--> playing --end--> home
                           `--crash--> crashed --close--> home
home, waiting, crashed --restart--> looking
"""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from enum import StrEnum

from rampa.core.errors import Invalid


class Form(StrEnum):
    """What it looks like; `SIZES` has the pixels of its screen."""

    DESKTOP = "desktop"
    PHONE = "phone"
    TABLET = "tablet"
    HEADSET = "headset"


SIZES = {
    Form.DESKTOP: (640, 400),
    Form.PHONE: (300, 600),
    Form.TABLET: (560, 420),
    Form.HEADSET: (640, 360),
}
"""Pixels that a program is told to draw for."""


class ScreenState(StrEnum):
    HOME = "home"
    LOOKING = "looking"
    WAITING = "waiting"
    INSTALLING = "installing"
    PLAYING = "playing"
    CRASHED = "crashed"


class ScreenEvent(StrEnum):
    LOOK = "look"
    FIND = "find"
    NOTHING = "nothing"
    INSTALL = "install"
    DONE = "done"
    STOP = "stop"
    START = "start"
    END = "end"
    CRASH = "crash"
    CLOSE = "close"
    RESTART = "restart"


_S, _E = ScreenState, ScreenEvent
TRANSITIONS = {
    (_S.HOME, _E.LOOK): _S.LOOKING,
    (_S.HOME, _E.START): _S.PLAYING,
    (_S.HOME, _E.RESTART): _S.LOOKING,
    (_S.LOOKING, _E.FIND): _S.WAITING,
    (_S.LOOKING, _E.NOTHING): _S.HOME,
    (_S.WAITING, _E.INSTALL): _S.INSTALLING,
    (_S.WAITING, _E.LOOK): _S.LOOKING,
    (_S.WAITING, _E.START): _S.PLAYING,
    (_S.WAITING, _E.RESTART): _S.LOOKING,
    (_S.INSTALLING, _E.DONE): _S.HOME,
    (_S.INSTALLING, _E.STOP): _S.HOME,
    (_S.PLAYING, _E.END): _S.HOME,
    (_S.PLAYING, _E.CRASH): _S.CRASHED,
    (_S.CRASHED, _E.CLOSE): _S.HOME,
    (_S.CRASHED, _E.RESTART): _S.LOOKING,
}


class ScreenAct(StrEnum):
    """What its person can do; the other events happen by themselves."""

    LOOK = "look"
    INSTALL = "install"
    STOP = "stop"
    START = "start"
    CLOSE = "close"
    RESTART = "restart"


class UpdateHabit(StrEnum):
    """When an update that is there is installed."""

    BY_ITSELF = "by-itself"
    AT_A_LOOK = "at-a-look"
    AFTER_RESTART = "after-restart"


class Network(StrEnum):
    GOOD = "good"
    SLOW = "slow"
    FAILING = "failing"
    GONE = "gone"


SLOW_RATE = 250_000.0
"""Bytes a second."""


@dataclass(frozen=True)
class Conditions:
    """`room`: bytes that are free on its disk, None for those of this machine; `clock`: how far its clock is off."""

    network: Network = Network.GOOD
    room: int | None = None
    clock: dt.timedelta = dt.timedelta()

    def __post_init__(self) -> None:
        if self.room is not None and not 0 <= self.room < 2**50:
            raise Invalid("screen.room", "a disk has room for no less than nothing", where="room")
        if abs(self.clock) > dt.timedelta(days=100 * 365):
            raise Invalid("screen.clock", "a clock is off by a hundred years at most", where="clock")

    def now(self, truly: dt.datetime) -> dt.datetime:
        return truly + self.clock
