"""The step `fetch`: exactly the run's commit with git, or the uploaded folder."""

from __future__ import annotations

import fcntl
import os
import re
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from rampa.agent.context import AttemptContext, StepFailed, Stopped
from rampa.agent.isolation import Bare
from rampa.agent.process import Limits, run_program
from rampa.client.sources.folders import bring_folder
from rampa.core.content.tree.paths import path_problem
from rampa.core.run.git_settings import SETTINGS, git_environment, settings_environment
from rampa.core.run.step import Step

POINTER = re.compile(rb"version https?://\S+/spec/v\d+\n(?:ext-\S+ \S+\n)*oid sha256:[0-9a-f]{64}\nsize \d+\n?")
"""What stands in a commit in place of a large file that is kept elsewhere."""
POINTER_SIZE = 1024
SHOWN = 20


def fetch(a: AttemptContext, step: Step) -> None:
    if a.work.folder:
        count = bring_folder(a.client, a.work.title, a.work.folder, a.folder.source, lambda _: None)
        a.report.say(f"Folder {a.work.folder}: {count:,} files.")
    else:
        base = f"{a.client.connection.address}/api/v1/titles/{a.work.title}/source/git/source.git"
        _checkout(a, step, base, a.work.commit, a.folder.source, a.settings.folder / "mirrors" / f"{a.work.title}.git")
        if a.work.submodules:
            _modules(a, step)
        a.report.say(f"Checked out {a.work.commit[:12]}{f' of {a.work.ref}' if a.work.ref else ''}.")
    a.pointers = find_pointers(a.folder.source)
    for path in a.pointers[:SHOWN]:
        a.report.say(f"warning: {path} is a large-file pointer; the file itself is not in the commit", "warning")
    if len(a.pointers) > SHOWN:
        a.report.say(f"warning: {len(a.pointers) - SHOWN} more large-file pointers", "warning")
    # Checked out by the agent, written by the run's user: steps may change what they find.
    a.folder.own(a.folder.source)
    a.root = a.folder.source


def _modules(a: AttemptContext, step: Step) -> None:
    for number, module in enumerate(a.client.sources.modules(a.work.title, a.work.commit)):
        if path_problem(module.path):
            raise StepFailed(
                "source.missing", f"a submodule lies at {module.path[:100]!r}: {path_problem(module.path)}"
            )
        mirror = a.settings.folder / "mirrors" / f"{a.work.title}-module-{number}.git"
        target = a.folder.source / module.path
        # A repository that names its submodule ../x would write outside the run's folder.
        if not target.resolve().is_relative_to(a.folder.source.resolve()):
            raise StepFailed("source.missing", f"the submodule {module.path[:100]} would lie outside the source")
        target.mkdir(parents=True, exist_ok=True)
        _checkout(a, step, a.client.connection.address + module.at, module.commit, target, mirror)
        a.report.say(f"Submodule {module.path} at {module.commit[:12]}.")


def _checkout(a: AttemptContext, step: Step, address: str, commit: str, target: Path, mirror: Path) -> None:
    """The agent keeps a mirror: only objects that it lacks travel. Files are written without a repository beside them."""
    with _lock(mirror):
        if not (mirror / "HEAD").is_file():
            _git(a, step, ["init", "--bare", "--quiet", str(mirror)], a.settings.folder)
        if not _has(mirror, commit):
            a.report.say("Fetching from the service's mirror …")
            _git(a, step, ["fetch", "--quiet", "--no-tags", "--no-auto-maintenance", "--", address, commit], mirror)
    # An index and a work tree of the run's own: many runs read from one mirror at a time.
    index = {"GIT_INDEX_FILE": str(a.folder.root / "index"), "GIT_WORK_TREE": str(target), "GIT_DIR": str(mirror)}
    _git(a, step, ["read-tree", commit], target, index)
    _git(a, step, ["checkout-index", "--all", "--force", "--quiet"], target, index)
    (a.folder.root / "index").unlink(missing_ok=True)


def _has(mirror: Path, commit: str) -> bool:
    words = ["git", "cat-file", "-e", f"{commit}^{{commit}}"]
    done = subprocess.run(words, cwd=mirror, env=git_environment(dict(os.environ)), capture_output=True, check=False)
    return done.returncode == 0


def _git(a: AttemptContext, step: Step, words: list[str], folder: Path, more: dict[str, str] | None = None) -> None:
    """Under the step's time limit; the agent's token goes by the environment, where no list of processes shows it."""
    token = a.client.connection.bearer.current()
    signed = settings_environment({**SETTINGS, "http.extraHeader": f"Authorization: Bearer {token}"})
    environment = git_environment(dict(os.environ), {**signed, **(more or {})})
    said: list[bytes] = []
    limits = Limits(step.seconds, least_free=a.settings.least_free)
    folder.mkdir(parents=True, exist_ok=True)
    ended = run_program(["git", *words], folder, environment, limits, said.append, a.report.halt, Bare(), a.folder.mark)
    if ended.why == "stopped":
        raise Stopped
    text = b"".join(said).decode("utf-8", "replace").replace(token, "•••") if token else ""
    if ended.why:
        code = {"time": "time.limit", "disk": "disk.full", "missing": "program.missing"}.get(ended.why, "step.failed")
        raise StepFailed(code, "git" if ended.why == "missing" else f"{step.seconds} s")
    if not ended.well:
        if text.strip():
            a.report.say(text.strip(), "error")
        raise StepFailed("source.missing", f"git {words[0]} ended with {ended.words()}")


@contextmanager
def _lock(mirror: Path) -> Iterator[None]:
    """Runs side by side on one machine share the mirror."""
    mirror.parent.mkdir(parents=True, exist_ok=True)
    fd = os.open(mirror.parent / f"{mirror.name}.lock", os.O_RDWR | os.O_CREAT, 0o600)
    try:
        fcntl.flock(fd, fcntl.LOCK_EX)
        yield
    finally:
        os.close(fd)


def find_pointers(folder: Path) -> list[str]:
    """Files that only stand for others."""
    out = []
    for at, _, files in os.walk(folder):
        for name in files:
            path = os.path.join(at, name)
            info = os.lstat(path)
            if not os.path.islink(path) and 100 < info.st_size <= POINTER_SIZE:
                with open(path, "rb") as stream:
                    if POINTER.fullmatch(stream.read(POINTER_SIZE + 1)):
                        out.append(os.path.relpath(path, folder))
    return sorted(out)
