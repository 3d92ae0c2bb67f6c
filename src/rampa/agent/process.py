"""Running a program under limits: time, memory of all its processes, output; ended as a whole when it is asked to."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import psutil

from rampa.agent.control_group import ControlGroup
from rampa.agent.isolation import PROGRAM, Bare, NotStarted, Place, Sandbox, stay

LOOK = 0.1
GRACE = 3.0
"""Seconds between SIGTERM and SIGKILL."""
PIECE = 64 * 1024
MISSING, CLOSED = 127, 126
BY_SIGNAL = 128
"""What a shell says of a program that could not be started, and of one that a signal ended."""
DRAIN = 2.0
"""Seconds to wait for what a program that ended has left in the pipe."""


@dataclass(frozen=True)
class Limits:
    """Seconds; bytes of memory and output, 0 for none; bytes that must stay free on the disk of `folder`."""

    seconds: float
    memory: int = 0
    output: int = 0
    least_free: int = 0


@dataclass(frozen=True)
class Ended:
    """`why` is empty when the program ended by itself, else time, memory, output, disk, stopped, missing, closed (not
    allowed) or isolation. Peak in bytes."""

    code: int
    why: str
    seconds: float
    peak: int

    @property
    def well(self) -> bool:
        return self.code == 0 and not self.why

    def words(self) -> str:
        if self.code < 0:
            with contextlib.suppress(ValueError):
                return f"signal {signal.Signals(-self.code).name}"
        return f"exit code {self.code}"


def run_program(
    words: Sequence[str],
    folder: Path,
    environment: dict[str, str],
    limits: Limits,
    on_output: Callable[[bytes], None],
    stop: threading.Event,
    place: Place,
    mark: Callable[[int], None] = lambda _: None,
) -> Ended:
    """Standard output and error go to `on_output` as they come. `place` is where it runs; `mark` is told its pid."""
    with _grouped(place, limits) as group:
        started = time.monotonic()
        try:
            process = place.start(words, folder, environment, group.join if group else stay)
        except NotStarted as error:
            return Ended(CLOSED if error.why == "closed" else MISSING, error.why, 0.0, 0)
        mark(process.pid)
        watch = _Watch(process, limits, started, stop, folder)
        reader = threading.Thread(target=watch.read, args=(on_output,), daemon=True)
        reader.start()
        why = watch.until_end()
        # What has begun cannot be looked up once it ended: its children are remembered while it runs.
        watch.look()
        _end_group(process, place, watch.family)
        # A program that is gone can leave its output's other end with a child that lives on: waiting for the end of it
        # could last for ever.
        reader.join(DRAIN)
        code = _code(process.wait(), place)
        # Ended by the kernel between two looks.
        if group and not why and code and group.ran_out:
            why = "memory"
        return Ended(code, why, time.monotonic() - started, watch.peak)


@contextlib.contextmanager
def _grouped(place: Place, limits: Limits) -> Iterator[ControlGroup | None]:
    """A control group for one program, where the machine gives them; whatever is left in it ends with it."""
    group = None
    # A machine can stop giving them: the limits are watched then.
    with contextlib.suppress(OSError):
        group = place.groups.make(limits.memory) if place.groups else None
    try:
        yield group
    finally:
        if group:
            group.close()


class _Watch:
    """Looks at a running program until it ends or breaks a limit."""

    def __init__(
        self,
        process: subprocess.Popen[bytes],
        limits: Limits,
        started: float,
        stop: threading.Event,
        folder: Path,
    ) -> None:
        self._process, self._limits, self._started, self._stop = process, limits, started, stop
        self._folder = folder
        self._written = 0
        self._measured = 0.0
        self.peak = 0
        self.family: list[psutil.Process] = []

    def read(self, on_output: Callable[[bytes], None]) -> None:
        assert self._process.stdout
        with contextlib.suppress(OSError, ValueError):
            # Reading goes on above the limit: a program that cannot write would hang in place of being ended with the
            # right cause.
            while piece := os.read(self._process.stdout.fileno(), PIECE):
                self._written += len(piece)
                if not self._limits.output or self._written <= self._limits.output + PIECE:
                    on_output(piece)

    def until_end(self) -> str:
        while True:
            with contextlib.suppress(subprocess.TimeoutExpired):
                self._process.wait(LOOK)
                return ""
            why = self._broken()
            if why:
                return why

    def _broken(self) -> str:
        now = time.monotonic()
        if self._stop.is_set():
            return "stopped"
        if now - self._started > self._limits.seconds:
            return "time"
        if self._limits.output and self._written > self._limits.output:
            return "output"
        # Walking all processes costs some milliseconds; memory does not run away between two looks.
        if now - self._measured < 0.4:
            return ""
        self._measured = now
        memory = self._measure()
        self.peak = max(self.peak, memory)
        if self._limits.memory and memory > self._limits.memory:
            return "memory"
        if self._limits.least_free and psutil.disk_usage(str(self._folder)).free < self._limits.least_free:
            return "disk"
        return ""

    def look(self) -> None:
        """Remembers the program and all that it started; of what it started before, what still runs stays remembered."""
        with contextlib.suppress(psutil.Error):
            top = psutil.Process(self._process.pid)
            if top.status() != psutil.STATUS_ZOMBIE:
                # A program that left its parent (daemons, build servers) has no way back in the tree: only what was
                # seen earlier finds it.
                before = [p for p in self.family if p.is_running()]
                self.family = list({p.pid: p for p in (*before, top, *top.children(recursive=True))}.values())

    def _measure(self) -> int:
        """Resident bytes of the program and all that it started."""
        self.look()
        total = 0
        for one in self.family:
            with contextlib.suppress(psutil.Error):
                total += one.memory_info().rss
        return total


def _code(code: int, place: Place) -> int:
    """A sandbox says of a program that a signal ended what a shell would say."""
    return BY_SIGNAL - code if isinstance(place, Sandbox) and BY_SIGNAL < code <= BY_SIGNAL + signal.NSIG else code


def _end_group(process: subprocess.Popen[bytes], place: Place, family: list[psutil.Process]) -> None:
    """The whole group, first kindly; then whatever is left of it, also what made a session of its own."""
    if isinstance(place, Sandbox):
        # Not the sandbox itself: what is in it would end with it at once, and had no time to put its things in order.
        for one in family:
            with contextlib.suppress(psutil.Error):
                if one.name() != PROGRAM:
                    one.terminate()
    else:
        _signal(process.pid, signal.SIGTERM)
    end = time.monotonic() + GRACE
    # A group keeps its number while any member lives, also when the leader is gone: waiting for the leader is not
    # enough.
    while time.monotonic() < end and _group_lives(process):
        time.sleep(0.05)
    _signal(process.pid, signal.SIGKILL)
    for one in family:
        with contextlib.suppress(psutil.Error):
            if one.is_running():
                one.kill()
    # A sandbox ends with its first process; and two agents of one machine may give their runs the same number.
    if isinstance(place, Bare) and place.user is not None:
        end_user(place.user)


def _signal(group: int, how: signal.Signals) -> None:
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.killpg(group, how)


def _group_lives(process: subprocess.Popen[bytes]) -> bool:
    # The leader must be reaped, or its zombie would make the group look alive.
    process.poll()
    try:
        os.killpg(process.pid, 0)
    except (ProcessLookupError, PermissionError):
        return False
    return any(_lives_in(process.pid, one) for one in psutil.process_iter())


def _lives_in(group: int, one: psutil.Process) -> bool:
    """Members whose parent is gone wait for the machine's first process to reap them, on some machines for seconds."""
    try:
        return os.getpgid(one.pid) == group and one.status() != psutil.STATUS_ZOMBIE
    except (ProcessLookupError, PermissionError, psutil.Error):
        return False


def end_user(user: int) -> None:
    """All processes of a user that belongs to one run only."""
    for one in psutil.process_iter(["uids"]):
        uids = one.info["uids"]
        if uids and uids.real == user:
            with contextlib.suppress(psutil.Error):
                one.kill()
