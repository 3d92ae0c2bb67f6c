"""Where programs that are not ours run: in a sandbox, or bare where this machine has none. The one place that starts them.

A sandbox is made by bubblewrap: mounts, processes, IPC, host name and, unless a step needs it, the network of its own; no new
privileges; of the machine's files the system's programs and what the agent was told to show, to be read; of the agent's nothing
but the run's own folders. When its first process ends, everything in it ends.
"""

from __future__ import annotations

import ctypes
import importlib.resources
import os
import resource
import shutil
import signal
import subprocess
import sys
from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from rampa.agent.control_group import PROCESSES, ControlGroups
from rampa.core.run.abilities import Isolation

PR_SET_PDEATHSIG = 1
PROGRAM = "bwrap"
SCRATCH = "/tmp"  # nosec B108
"""In a sandbox, one of its own."""
SYSTEM = ("/usr", "/bin", "/sbin", "/lib", "/lib32", "/lib64", "/etc", "/opt")
NAMES = "/etc/resolv.conf"
PYTHON = Path(os.path.realpath(sys.executable))
PREFIX = PYTHON.parent.parent


Join = Callable[[], object]


def stay() -> None:
    """In the group of whoever starts it."""


class NotStarted(Exception):
    """`why` is missing, closed (not allowed), or isolation: the sandbox itself could not be made."""

    def __init__(self, why: str) -> None:
        super().__init__(why)
        self.why = why


@dataclass(frozen=True)
class Bare:
    """Nothing keeps it apart, but, where the agent is root, a user of its own."""

    user: int | None = None
    groups: ControlGroups | None = None

    def start(
        self, words: Sequence[str], folder: Path, environment: dict[str, str], join: Join = stay
    ) -> subprocess.Popen[bytes]:
        """`join` is called by the new process before it becomes the program. Raises `NotStarted`."""
        as_user: dict[str, Any] = (
            {"user": self.user, "group": self.user, "extra_groups": []} if self.user is not None else {}
        )
        try:
            return _popen(list(words), folder, environment, join, limited=self.user is not None, **as_user)
        except (FileNotFoundError, NotADirectoryError) as error:
            raise NotStarted("missing") from error
        except PermissionError as error:
            raise NotStarted("closed") from error


@dataclass(frozen=True)
class Sandbox:
    """`readable` folders of this machine besides the system's; `writable` those of the run; `user` of the run, where the
    agent is root."""

    program: str
    readable: tuple[Path, ...] = ()
    writable: tuple[Path, ...] = ()
    user: int | None = None
    network: bool = False
    groups: ControlGroups | None = None

    def for_run(
        self, user: int | None, writable: Sequence[Path], readable: Sequence[Path] = (), *, network: bool
    ) -> Sandbox:
        shown = (*self.readable, *(p for p in readable if p.is_dir()))
        return replace(self, user=user, writable=tuple(writable), readable=shown, network=network)

    def start(
        self, words: Sequence[str], folder: Path, environment: dict[str, str], join: Join = stay
    ) -> subprocess.Popen[bytes]:
        """`join` is called by the new process before it becomes the program. Raises `NotStarted`."""
        with ExitStack() as stack:
            read_environment, says, end_says = self._pipes(stack, environment)
            text = importlib.resources.files("rampa.agent").joinpath("launcher.py").read_text()
            told = (read_environment, end_says, self.user or 0, folder)
            launch = [str(PYTHON), "-I", "-S", "-c", text, *map(str, told)]
            command = [self.program, *self._apart(), *self._files(), "--chdir", "/", "--", *launch, *words]
            # A step chooses its environment, and could have anything loaded into a program that is still root: bubblewrap
            # gets none of it.
            process = _popen(command, Path("/"), {"PATH": os.defpath}, join, pass_fds=(read_environment, end_says))
            os.close(end_says)
            with os.fdopen(says, "rb") as stream:
                said = stream.read().decode()
        if said != "ok":
            process.kill()
            process.wait()
            raise NotStarted(said.removeprefix("ok").strip() or "isolation")
        return process

    def _pipes(self, stack: ExitStack, environment: dict[str, str]) -> tuple[int, int, int]:
        """(where the environment is read, where the launcher is heard, where it says)."""
        told = environment | {"PATH": self._path(environment.get("PATH", os.defpath))}
        # A file, not a pipe: an environment can be longer than what a pipe takes before somebody reads.
        fd = os.memfd_create("environment")
        stack.callback(os.close, fd)
        with os.fdopen(os.dup(fd), "wb") as out:
            out.write(b"\0".join(f"{name}={value}".encode() for name, value in told.items()))
        os.lseek(fd, 0, os.SEEK_SET)
        says, end_says = os.pipe()
        return fd, says, end_says

    def _path(self, path: str) -> str:
        """Of the folders that are named, those that are there; and the Python that the agent runs on."""
        shown = [p for p in path.split(":") if p and self._shows(Path(p))]
        return ":".join([*shown, str(PREFIX / "bin")])

    def _shows(self, path: Path) -> bool:
        return any(path.is_relative_to(p) for p in (*map(Path, SYSTEM), *self.readable, *self.writable))

    def _apart(self) -> list[str]:
        kinds = ["ipc", "pid", "uts", "cgroup-try", *([] if self.network else ["net"])]
        words = [f"--unshare-{kind}" for kind in kinds] + ["--die-with-parent", "--hostname", "run"]
        if os.geteuid() == 0:
            return [*words, "--cap-drop", "ALL", *(w for c in ("SETUID", "SETGID") for w in ("--cap-add", f"CAP_{c}"))]
        return ["--unshare-user", *words]

    def _files(self) -> list[str]:
        words = ["--proc", "/proc", "--dev", "/dev", "--perms", "1777", "--tmpfs", SCRATCH]
        for name in SYSTEM:
            if os.path.islink(name):
                words += ["--symlink", os.readlink(name), name]
            elif os.path.isdir(name):
                words += ["--ro-bind", name, name]
        shown = [p for p in (PREFIX, *self.readable) if not any(p.is_relative_to(s) for s in SYSTEM)]
        if self.network and os.path.islink(NAMES):
            shown.append(Path(os.path.realpath(NAMES)))
        for how, paths in (("--ro-bind", shown), ("--bind", self.writable)):
            for path in paths:
                words += [*_open_parents(path), how, str(path), str(path)]
        return words


def _open_parents(path: Path) -> list[str]:
    """Made by root, and closed to others if nobody says otherwise."""
    return [w for p in reversed(path.parents[:-1]) for w in ("--perms", "0755", "--dir", str(p))]


Place = Bare | Sandbox


def find_sandbox(readable: Sequence[Path]) -> tuple[Sandbox | None, str]:
    """What this machine can do, tried once: (the sandbox, or None and why not)."""
    program = shutil.which(PROGRAM)
    if program is None:
        return None, "bubblewrap is not installed: apt-get install bubblewrap"
    found = Sandbox(program, tuple(p.resolve() for p in readable if p.is_dir()))
    try:
        process = found.start(["true"], Path("/"), {})
    except NotStarted:
        return None, "the system gives bubblewrap no namespaces of its own"
    process.communicate()
    return (found, "") if process.returncode == 0 else (None, "a program does not run in the sandbox of this machine")


def level_of(sandbox: Sandbox | None, user: int | None) -> Isolation:
    if sandbox is not None:
        return Isolation.SANDBOX
    return Isolation.USER if user is not None else Isolation.NONE


def _popen(
    words: list[str], folder: Path, environment: dict[str, str], join: Join, *, limited: bool = False, **more: Any
) -> subprocess.Popen[bytes]:
    """In a session of its own; the kernel ends it when the agent's thread dies (prctl(2))."""
    libc = ctypes.CDLL(None)

    def prepare() -> None:
        # Files that steps write are read by the agent, which can be another user.
        os.umask(0o022)
        join()
        libc.prctl(PR_SET_PDEATHSIG, int(signal.SIGKILL))
        if limited:
            resource.setrlimit(resource.RLIMIT_NPROC, (PROCESSES, PROCESSES))

    return subprocess.Popen(
        words,
        cwd=folder,
        env=environment,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        start_new_session=True,
        preexec_fn=prepare,
        **more,
    )
