"""A bare mirror of a git repository: fetched whole, read by name and commit, served to agents as git itself serves it."""

from __future__ import annotations

import datetime as dt
import fcntl
import os
import re
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from rampa.core.errors import NotFound, Unavailable
from rampa.store.git import Credential, environment, git, signed_in
from rampa.store.reach import Reach

COMMIT = re.compile(r"[0-9a-f]{40}|[0-9a-f]{64}")
FIELDS = "%H%x00%an%x00%ct%x00%s"
"""Apart by the one byte that no name and no subject can hold."""
LATEST = 253_402_300_799
"""The last second of the year 9999."""
PIECE = 256 * 1024
READ_LIMIT = 8 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Commit:
    commit: str
    author: str
    at: dt.datetime
    subject: str


@dataclass(frozen=True, slots=True)
class Ref:
    """`kind` is branch or tag."""

    kind: str
    name: str
    commit: Commit


class Mirror:
    """One repository's mirror in `folder`. Several processes may use it: fetching takes a lock."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    @property
    def there(self) -> bool:
        return (self.folder / "HEAD").is_file()

    def fetch(self, address: str, credential: Credential, reach: Reach) -> None:
        """Brings all branches and tags. Raises `Unavailable` with git's words, and `Invalid` for what is out of reach."""
        way = reach.way(address)
        with self._lock(), signed_in(credential, way) as more:
            if not self.there:
                git("init", "--bare", "--quiet", str(self.folder))
            refs = ("+refs/heads/*:refs/heads/*", "+refs/tags/*:refs/tags/*")
            words = ("fetch", "--prune", "--force", "--quiet", "--no-auto-maintenance", "--no-recurse-submodules")
            git(*words, "--", way.address, *refs, folder=self.folder, more=more)
            head = git("ls-remote", "--symref", "--", way.address, "HEAD", folder=self.folder, more=more).decode()
            branch = re.match(r"ref: (refs/heads/\S+)\tHEAD", head)
            if branch:
                git("symbolic-ref", "HEAD", branch[1], folder=self.folder)

    @contextmanager
    def _lock(self) -> Iterator[None]:
        self.folder.parent.mkdir(parents=True, exist_ok=True)
        fd = os.open(self.folder.parent / f"{self.folder.name}.lock", os.O_RDWR | os.O_CREAT, 0o600)
        try:
            # Two fetches of one repository at once would each lock refs that the other wants.
            fcntl.flock(fd, fcntl.LOCK_EX)
            yield
        finally:
            os.close(fd)

    def _ask(self, *words: str, given: bytes | None = None) -> bytes:
        if not self.there:
            raise Unavailable("source.empty", "the repository was not fetched yet", hint="Run `rampa source fetch`.")
        return git(*words, folder=self.folder, seconds=60, given=given)

    def branch(self) -> str:
        """The repository's own branch."""
        return self._ask("symbolic-ref", "--short", "HEAD").decode().strip()

    def refs(self) -> list[Ref]:
        """Branches and tags, the newest commit first. A tag of something else than a commit is left out."""
        fields = "%(refname)%00%(objecttype)%00%(*objecttype)%00%(objectname)%00%(*objectname)"
        more = "%00%(authorname)%(*authorname)%00%(committerdate:unix)%(*committerdate:unix)%00%(contents:subject)"
        shown = self._ask("for-each-ref", f"--format={fields}{more}%00%(*contents:subject)", "refs/heads", "refs/tags")
        out = []
        # At newlines alone, as git ends its lines: a name or subject may hold what Unicode counts as a line's end, too.
        for line in shown.decode("utf-8", "replace").split("\n"):
            name, kind, peeled, digest, target, author, at, subject, inner = (line.split("\0") + [""] * 9)[:9]
            if "commit" in (kind, peeled) and at.isdigit():
                commit = target if peeled == "commit" else digest
                what, short = ("branch", name[11:]) if name.startswith("refs/heads/") else ("tag", name[10:])
                out.append(Ref(what, short, Commit(commit, author, _time(at), inner or subject)))
        return sorted(out, key=lambda r: r.commit.at, reverse=True)

    def resolve(self, of: str) -> tuple[str, str]:
        """(commit, ref as `branch/NAME` or `tag/NAME`, empty for a commit) of a branch, a tag or a commit's beginning."""
        # What is asked is looked up as a branch first, then as a tag: a name that is both means the branch, as in git
        # itself.
        for what, where in (("branch", "heads"), ("tag", "tags")):
            name = of.removeprefix(f"{what}/")
            found = self._commit(f"refs/{where}/{name}") if name else ""
            if found:
                return found, f"{what}/{name}"
        if re.fullmatch(r"[0-9a-f]{6,64}", of):
            found = self._commit(of)
            if found:
                return found, ""
        raise NotFound(
            "source.unknown",
            f"there is no branch, tag or commit {of!r}",
            where="of",
            hint="See `rampa source branches`.",
        )

    def _commit(self, name: str) -> str:
        try:
            # A name comes from a person: behind this option git never takes it for one of its own.
            shown = self._ask("rev-parse", "--verify", "--quiet", "--end-of-options", f"{name}^{{commit}}")
        except Unavailable as error:
            if error.code != "git.failed":
                raise
            return ""
        return shown.decode().strip()

    def log(self, commit: str, skip: int, count: int, since: str = "") -> list[Commit]:
        """Commits from `commit` on back; without those that `since` has too."""
        words = ["log", f"--format={FIELDS}", f"--skip={skip}", f"--max-count={count}"]
        shown = self._ask(*words, commit, *([f"^{since}"] if since else []), "--").decode("utf-8", "replace")
        return [_read_commit(line) for line in shown.split("\n") if line]

    def line(self, good: str, bad: str, most: int) -> list[str]:
        """The commits from `good` to `bad`, both with it, along first parents; empty where `good` is not one of them."""
        shown = self._ask("rev-list", "--first-parent", f"--max-count={most + 1}", bad, f"^{good}^@", "--").decode()
        found = shown.split()
        return found[::-1][found[::-1].index(good) :] if good in found else []

    def base(self, left: str, right: str) -> str:
        """The newest commit that both have; empty for none."""
        try:
            return self._ask("merge-base", left, right).decode().strip()
        except Unavailable as error:
            if error.code != "git.failed":
                raise
            return ""

    def diff(self, commit: str, most: int) -> tuple[str, bool]:
        """(what a commit changed against its first parent, whether that is cut), at most so many bytes."""
        words = (
            "--format=",
            "--no-color",
            "--no-ext-diff",
            "--no-textconv",
            "--first-parent",
            "--patch",
            "--stat",
            "-M",
        )
        with self._open("show", *words, commit, "--") as running:
            assert running.stdout
            data = running.stdout.read(most + 1)
            running.stdout.close()
            running.kill()
        return data[:most].decode("utf-8", "replace"), len(data) > most

    def count(self, commit: str) -> int:
        """How many commits lead to it, itself included."""
        return int(self._ask("rev-list", "--count", commit, "--"))

    def has(self, commit: str) -> bool:
        return bool(COMMIT.fullmatch(commit)) and bool(self._commit(commit))

    def changed(self, before: str, after: str) -> list[str]:
        """Paths that differ between two commits."""
        return _names(self._ask("diff-tree", "-r", "-z", "--name-only", "--no-renames", before, after))

    def files(self, commit: str) -> list[tuple[str, str, int, str]]:
        """(path, blob's digest, size, mode) of all files; a submodule has mode 160000 and size 0."""
        out = []
        for row in _names(self._ask("ls-tree", "-r", "-z", "--long", commit)):
            facts, _, path = row.partition("\t")
            mode, _, digest, size = facts.split()
            out.append((path, digest, int(size) if size.isdigit() else 0, mode))
        return out

    def read(self, commit: str, path: str) -> bytes:
        """A file's content. Raises `NotFound`, `Unavailable`."""
        name = f"{commit}:{path}"
        try:
            # Asked for its size first: a blob of gigabytes would be in memory before anybody could refuse it.
            if int(self._ask("cat-file", "-s", name)) > READ_LIMIT:
                raise NotFound("source.no-file", f"{path} is too large to be read here", where=path)
            return self._ask("cat-file", "blob", name)
        except Unavailable as error:
            if error.code != "git.failed":
                raise
            raise NotFound("source.no-file", f"the commit has no file {path}", where=path) from error

    def heads(self, blobs: list[str], size: int) -> dict[str, bytes]:
        """The first `size` bytes of blobs, read one after another by one process."""
        out: dict[str, bytes] = {}
        process = self._open("cat-file", "--batch")
        with process as running:
            assert running.stdin
            assert running.stdout
            for blob in blobs:
                running.stdin.write(f"{blob}\n".encode())
                running.stdin.flush()
                facts = running.stdout.readline().split()
                if len(facts) != 3:
                    continue
                left = int(facts[2]) + 1
                data = running.stdout.read(min(size, left - 1))
                out[blob], left = data, left - len(data)
                while left:
                    left -= len(running.stdout.read(min(left, PIECE)))
            running.stdin.close()
        return out

    def modules(self, commit: str) -> list[tuple[str, str, str]]:
        """(path, address as it is said, commit) of the submodules."""
        said: dict[str, dict[str, str]] = {}
        try:
            shown = self._ask("config", "--blob", f"{commit}:.gitmodules", "-z", "--get-regexp", r"^submodule\.")
        except Unavailable:
            return []
        for row in _names(shown):
            key, _, value = row.partition("\n")
            name, _, field = key.removeprefix("submodule.").rpartition(".")
            said.setdefault(name, {})[field] = value
        at = {path: digest for path, digest, _, mode in self.files(commit) if mode == "160000"}
        return [(s["path"], s["url"], at[s["path"]]) for s in said.values() if s.get("url") and s.get("path") in at]

    def _open(self, *words: str) -> subprocess.Popen[bytes]:
        pipes = {"stdin": subprocess.PIPE, "stdout": subprocess.PIPE, "stderr": subprocess.DEVNULL}
        return subprocess.Popen(["git", *words], cwd=self.folder, env=environment(None), **pipes)  # type: ignore[call-overload,no-any-return]

    def archive(self, commit: str) -> Iterator[bytes]:
        """The commit's files as a tar (POSIX.1-2001, pax), the same bytes each time: their times are the commit's."""
        with self._open("archive", "--format=tar", commit) as running:
            assert running.stdout
            try:
                while piece := running.stdout.read(PIECE):
                    yield piece
            finally:
                running.stdout.close()
                running.kill()

    def advertise(self) -> bytes:
        """What `git fetch` over HTTP asks first (gitprotocol-http, smart clients)."""
        shown = self._ask("upload-pack", "--stateless-rpc", "--advertise-refs", str(self.folder))
        first = b"# service=git-upload-pack\n"
        return f"{len(first) + 4:04x}".encode() + first + b"0000" + shown

    def answer(self, asked: bytes) -> Iterator[bytes]:
        """What `git fetch` asks then: the objects that the agent lacks."""
        process = self._open("upload-pack", "--stateless-rpc", str(self.folder))
        assert process.stdin
        assert process.stdout
        try:
            process.stdin.write(asked)
            process.stdin.close()
            while piece := process.stdout.read(PIECE):
                yield piece
        finally:
            # The watcher may be gone in the middle: a git that nobody reads from would wait for ever.
            process.stdout.close()
            process.kill()
            process.wait()


def _names(shown: bytes) -> list[str]:
    return [name for name in shown.decode("utf-8", "replace").split("\0") if name]


def _time(seconds: str) -> dt.datetime:
    # A commit says its own date: one of the year ten million must not keep anybody from the list it stands in.
    return dt.datetime.fromtimestamp(min(max(int(seconds), 0), LATEST), dt.UTC)


def _read_commit(line: str) -> Commit:
    commit, author, at, subject = line.split("\0", 3)
    return Commit(commit, author, _time(at), subject)
