"""The step `fetch`: exactly the run's commit with git, or the uploaded folder."""

from __future__ import annotations

import fcntl
import os
import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from rampa.agent.context import AttemptContext, StepFailed, Stopped
from rampa.agent.isolation import Place
from rampa.agent.process import Ended, Limits, run_program
from rampa.client.sources.folders import bring_folder
from rampa.core.content.tree.paths import path_problem
from rampa.core.run.git_settings import SETTINGS, git_environment, settings_environment
from rampa.core.run.step import Step

POINTER = re.compile(rb"version https?://\S+/spec/v\d+\n(?:ext-\S+ \S+\n)*oid sha256:[0-9a-f]{64}\nsize \d+\n?")
"""What stands in a commit in place of a large file that is kept elsewhere."""
POINTER_SIZE = 1024
SHOWN = 20
CAUSES = {
    "time": "time.limit",
    "disk": "disk.full",
    "missing": "program.missing",
    "isolation": "isolation.failed",
    "memory": "memory.out",
}


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
            mirror.mkdir(parents=True, exist_ok=True)
            _git(a, step, ["init", "--bare", "--quiet", str(mirror)], mirror)
        if not _run_git(a, step, ["cat-file", "-e", f"{commit}^{{commit}}"], mirror)[0].well:
            a.report.say("Fetching from the service's mirror …")
            _git(a, step, ["fetch", "--quiet", "--no-tags", "--no-auto-maintenance", "--", address, commit], mirror)
    # An index and a work tree of the run's own: many runs read from one mirror at a time.
    a.folder.own(target)
    tree = WorkTree(target, a.folder.tmp / "index")
    _git(a, step, ["read-tree", commit], mirror, tree)
    _git(a, step, ["checkout-index", "--all", "--force", "--quiet"], mirror, tree)
    tree.index.unlink(missing_ok=True)


@dataclass(frozen=True)
class WorkTree:
    """Where a commit's files go, of the run's user; None where git works on its mirror alone."""

    folder: Path
    index: Path


def _git(a: AttemptContext, step: Step, words: list[str], mirror: Path, tree: WorkTree | None = None) -> None:
    """Under the step's time limit. Raises `StepFailed`."""
    ended, text = _run_git(a, step, words, mirror, tree)
    if ended.why == "stopped":
        raise Stopped
    if ended.why:
        raise StepFailed(CAUSES.get(ended.why, "step.failed"), f"{step.seconds} s" if ended.why == "time" else "git")
    if not ended.well:
        if text.strip():
            a.report.say(text.strip(), "error")
        raise StepFailed("source.missing", f"git {words[0]} ended with {ended.words()}")


def _run_git(
    a: AttemptContext, step: Step, words: list[str], mirror: Path, tree: WorkTree | None = None
) -> tuple[Ended, str]:
    """What git reads is strangers': it has the network only while it fetches, and writes the mirror or the run's source alone.

    The agent's token goes by the environment, where no list of processes shows it.
    """
    token = a.client.connection.bearer.current() if words[0] == "fetch" else ""
    signed = {"http.extraHeader": f"Authorization: Bearer {token}"} if token else {}
    more = settings_environment({**SETTINGS, **signed})
    if tree:
        more |= {"GIT_INDEX_FILE": str(tree.index), "GIT_WORK_TREE": str(tree.folder), "GIT_DIR": str(mirror)}
    environment = git_environment(dict(os.environ), more)
    said: list[bytes] = []
    limits = Limits(step.seconds, least_free=a.settings.least_free)
    folder = tree.folder if tree else mirror
    place = _place(a, mirror, tree, network=bool(token))
    ended = run_program(["git", *words], folder, environment, limits, said.append, a.report.halt, place, a.folder.mark)
    text = b"".join(said).decode("utf-8", "replace")
    return ended, text.replace(token, "•••") if token else text


def _place(a: AttemptContext, mirror: Path, tree: WorkTree | None, *, network: bool) -> Place:
    if tree is None:
        return a.settings.place(None, [mirror], network=network)
    # Without a sandbox the run's user cannot reach the mirror: the agent checks out, and gives the files away.
    user = a.folder.user if a.settings.sandbox else None
    return a.settings.place(user, [a.folder.source, a.folder.tmp], [mirror])


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
