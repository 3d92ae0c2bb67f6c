"""Starts Python modules as processes of their own without importing everything again.

A test starts a service, a worker, an agent or a command several hundred times, and most of what each does is importing. The
nursery is a process that has imported all of it; asked over a socket, it forks a child, which gets the arguments, environment,
folder and files that were asked for and runs the module as `python -m` would. The real way of starting is what
tests/local and tests/cli/test_tree.py go.
"""

from __future__ import annotations

import array
import atexit
import contextlib
import ctypes
import gc
import importlib
import json
import os
import pkgutil
import runpy
import select
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from collections.abc import Sequence
from copy import deepcopy
from functools import cache
from pathlib import Path
from typing import Any, BinaryIO
from unittest.mock import Mock

PR_SET_PDEATHSIG = 1
WARM = ["gunicorn.app.wsgiapp", "gunicorn.workers.gthread", "rampa.service.wiring", "rampa.jobs.tasks", "rampa.client",
        "rampa.client.client", "rampa.agent.loop", "rampa.standin.device"]  # fmt: skip
"""Besides everything below rampa.cli but the command's own main module, which each child runs."""


class Forked:
    """A process of the nursery, with the part of `subprocess.Popen` that tests use."""

    def __init__(self, line: socket.socket) -> None:
        self._line = line
        self._read = line.makefile("rb")
        self.pid = int(self._read.readline() or 0)
        assert self.pid, "the nursery is gone"
        self.returncode: int | None = None

    def poll(self) -> int | None:
        if self.returncode is None and select.select([self._line], [], [], 0)[0]:
            self._ended()
        return self.returncode

    def wait(self, timeout: float | None = None) -> int:
        if self.returncode is None:
            if not select.select([self._line], [], [], timeout)[0]:
                raise subprocess.TimeoutExpired("a child of the nursery", timeout or 0)
            self._ended()
        assert self.returncode is not None
        return self.returncode

    def _ended(self) -> None:
        self.returncode = int(self._read.readline() or -signal.SIGKILL)
        self._line.close()

    def send_signal(self, how: int) -> None:
        if self.poll() is None:
            os.kill(self.pid, how)

    def terminate(self) -> None:
        self.send_signal(signal.SIGTERM)

    def kill(self) -> None:
        self.send_signal(signal.SIGKILL)


class Nursery:
    """The process that forks, as its owner sees it. It ends with its owner."""

    def __init__(self) -> None:
        near, far = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        words = [sys.executable, "-m", "tests.nursery", str(far.fileno())]
        here = str(Path(__file__).parents[1])
        environment = os.environ | {"OPENBLAS_NUM_THREADS": "1", "PYTHONPATH": here}
        self._process = subprocess.Popen(words, pass_fds=[far.fileno()], env=environment, cwd=here)
        self._near = near
        far.close()

    def start(
        self,
        words: Sequence[str],
        environment: dict[str, str],
        out: BinaryIO | int,
        error: BinaryIO | int | None = None,
        folder: Path | None = None,
        pass_fds: Sequence[int] = (),
        alone: bool = True,
    ) -> Forked:
        """Runs `python -m words…`. `alone`: in a session of its own. The files in `pass_fds` keep their numbers."""
        near, far = socket.socketpair()
        asked = {
            "words": list(words), "environment": environment, "folder": str(folder or Path.cwd()), "alone": alone,
            "fds": list(pass_fds),
        }  # fmt: skip
        files = [far.fileno(), _number(out), _number(out if error is None else error), *pass_fds]
        self._near.sendmsg([b"a"], [(socket.SOL_SOCKET, socket.SCM_RIGHTS, array.array("i", files))])
        far.close()
        near.sendall(json.dumps(asked).encode() + b"\n")
        return Forked(near)

    def start_child(self, command: list[str], environment: dict[str, str], log: Path) -> Forked:
        """The same as `rampa.local.service.start_child`, for a command that begins with `python -m`."""
        with log.open("ab") as out:
            return self.start(command[2:], environment, out)

    def end(self) -> None:
        self._near.close()
        self._process.wait()


@cache
def nursery() -> Nursery:
    """The one of this test process, made when it is first needed."""
    made = Nursery()
    atexit.register(made.end)
    return made


def run_module(
    words: Sequence[str], environment: dict[str, str], folder: Path, pass_fds: Sequence[int] = ()
) -> subprocess.CompletedProcess[str]:
    """`python -m words…` to its end, with what it said."""
    with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as error:
        code = nursery().start(words, environment, out, error, folder, pass_fds).wait(600)
        said = []
        for file in (out, error):
            file.seek(0)
            said.append(file.read().decode())
    return subprocess.CompletedProcess(list(words), code, *said)


def _number(file: BinaryIO | int) -> int:
    return file if isinstance(file, int) else file.fileno()


def main(line: socket.socket) -> None:
    """The nursery: one thread, which waits for requests and for the ends of its children."""
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, int(signal.SIGKILL))
    for name in [*WARM, *_commands()]:
        importlib.import_module(name)
    _remember_schemas()
    gc.freeze()  # what is here by now stays: children need not look through it, nor copy it
    children: dict[int, socket.socket] = {}
    wake, woken = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
    signal.signal(signal.SIGCHLD, lambda *_: None)
    signal.set_wakeup_fd(woken)
    while True:
        ready, _, _ = select.select([line.fileno(), wake], [], [])
        if wake in ready:
            with contextlib.suppress(BlockingIOError):
                os.read(wake, 4096)
            _reap(children)
        if line.fileno() in ready:
            data, files, _, _ = socket.recv_fds(line, 1, 64)
            if not data:
                _end_all(children)
                return
            answer = socket.socket(fileno=files[0])
            pid = os.fork()
            if pid == 0:
                signal.set_wakeup_fd(-1)
                signal.signal(signal.SIGCHLD, signal.SIG_DFL)
                _child(answer, files[1:], [line, *children.values()], [wake, woken])
            for file in files[1:]:
                os.close(file)
            children[pid] = answer
            answer.sendall(b"%d\n" % pid)


def _remember_schemas() -> None:
    """Most of a service's start is making the JSON schemas of its wire types, the same each time: they are made here, once."""
    from flask_openapi import openapi, utils

    from rampa.service.wiring import make_app

    make, made = utils.get_model_schema, {}

    def remembered(model: type, mode: Any = "validation") -> dict[str, Any]:
        if (model, mode) not in made:
            made[model, mode] = make(model, mode)
        return deepcopy(made[model, mode])

    for module in (utils, openapi):
        vars(module)["get_model_schema"] = remembered
    make_app(Mock())


def _commands() -> list[str]:
    found = pkgutil.walk_packages(importlib.import_module("rampa.cli").__path__, "rampa.cli.")
    return [module.name for module in found if module.name != "rampa.cli.main"]


def _reap(children: dict[int, socket.socket]) -> None:
    while children:
        pid, status = os.waitpid(-1, os.WNOHANG)
        if not pid:
            return
        answer = children.pop(pid)
        with contextlib.suppress(OSError):
            answer.sendall(b"%d\n" % os.waitstatus_to_exitcode(status))
        answer.close()


def _end_all(children: dict[int, socket.socket]) -> None:
    for pid in children:
        with contextlib.suppress(ProcessLookupError):
            os.kill(pid, signal.SIGTERM)
    end = time.monotonic() + 5
    while children and time.monotonic() < end:
        _reap(children)
        time.sleep(0.02)


def _child(answer: socket.socket, files: list[int], sockets: list[socket.socket], pipes: list[int]) -> None:
    """Never returns."""
    code = 1
    try:
        with answer.makefile("rb") as read:
            asked = json.loads(read.readline())
        for each in (answer, *sockets):
            each.close()
        for pipe in pipes:
            os.close(pipe)
        _become(asked, files)
        code = _run(asked["words"])
    except BaseException:
        traceback.print_exc()
    finally:
        with contextlib.suppress(Exception):
            threading._shutdown()  # type: ignore[attr-defined]
            atexit._run_exitfuncs()
            sys.stdout.flush()
            sys.stderr.flush()
        os._exit(code)


def _become(asked: dict[str, Any], files: list[int]) -> None:
    if asked["alone"]:
        os.setsid()
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, int(signal.SIGTERM))
    nothing = os.open(os.devnull, os.O_RDONLY)
    # Out of the way first: a file may have the number that another is to get.
    kept = [os.dup2(f, 200 + n) for n, f in enumerate([nothing, *files])]
    numbers = [0, 1, 2, *asked["fds"]]
    for file in {nothing, *files} - set(numbers):
        os.close(file)
    for number, file in zip(numbers, kept, strict=True):
        os.dup2(file, number, inheritable=True)
        os.close(file)
    for name, number in (("stdout", 1), ("stderr", 2)):
        setattr(sys, name, os.fdopen(number, "w", encoding="utf-8", closefd=False, buffering=1))
    sys.stdin = os.fdopen(0, encoding="utf-8", closefd=False)
    os.environ.clear()
    os.environ.update(asked["environment"])
    os.chdir(str(asked["folder"]))


def _run(words: list[str]) -> int:
    sys.argv = words
    try:
        runpy.run_module(words[0], run_name="__main__", alter_sys=True)
    except SystemExit as end:
        if isinstance(end.code, str):
            print(end.code, file=sys.stderr)
            return 1
        return end.code or 0
    return 0


if __name__ == "__main__":
    main(socket.socket(fileno=int(sys.argv[1])))
