"""General-purpose tools beside us, run as they are."""

from __future__ import annotations

import os
import shutil
import subprocess
import time
from functools import lru_cache
from pathlib import Path


def missing(*programs: str) -> str:
    """Which of the programs are not installed, as a note; empty when all are."""
    absent = [p for p in programs if not shutil.which(p)]
    return f"not installed: {', '.join(absent)}" if absent else ""


def shell(command: str, folder: Path | None = None) -> float:
    """Seconds that a shell line takes."""
    started = time.perf_counter()
    subprocess.run(
        ["bash", "-o", "pipefail", "-c", command],
        cwd=folder,
        check=True,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    return time.perf_counter() - started


def tar_zstd(source: Path, out: Path) -> float:
    return shell(f"tar c -C '{source.parent}' '{source.name}' | zstd -3 -T2 -q -f -o '{out}'")


def zip6(source: Path, out: Path) -> float:
    out.unlink(missing_ok=True)
    return shell(f"zip -6 -q -r '{out}' .", source)


def untar(archive: Path, into: Path) -> float:
    shutil.rmtree(into, ignore_errors=True)
    into.mkdir(parents=True)
    return shell(f"zstd -d -q -c '{archive}' | tar x -C '{into}'")


def rsync_nothing(source: Path, copy: Path) -> float:
    if not copy.exists():
        shell(f"rsync -a '{source}/' '{copy}/'")
    return shell(f"rsync -a '{source}/' '{copy}/'")


class Daemon:
    """rsync's own daemon on loopback, for the update over a socket."""

    def __init__(self, source: Path, scratch: Path, port: int) -> None:
        self._port = port
        config = scratch / "rsyncd.conf"
        config.write_text(
            f"use chroot = no\n[v2]\npath = {source}\nread only = yes\nuid = {os.getuid()}\ngid = {os.getgid()}\n"
        )
        command = ["rsync", "--daemon", "--no-detach", f"--config={config}", f"--port={port}", "--address=127.0.0.1"]
        self._process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        time.sleep(0.5)

    def update(self, copy: Path, flags: str = "-a --delete --no-whole-file") -> float:
        return shell(f"rsync {flags} rsync://127.0.0.1:{self._port}/v2/ '{copy}/'")

    def bytes(self, copy: Path) -> int:
        """What `rsync -z` moves, both ways, by its own count."""
        line = f"rsync -a -z --delete --no-whole-file --stats rsync://127.0.0.1:{self._port}/v2/ {copy}/"
        told = subprocess.run(line.split(), capture_output=True, text=True, check=True).stdout
        wanted = ("Total bytes sent", "Total bytes received")
        return sum(int(x.split(":")[1].replace(",", "")) for x in told.splitlines() if x.startswith(wanted))

    def close(self) -> None:
        self._process.terminate()
        self._process.wait()


def changed_files(v1: Path, v2: Path) -> list[tuple[Path | None, Path]]:
    """Each file of v2 that v1 does not hold as it is, with its old version where the path had one."""
    out: list[tuple[Path | None, Path]] = []
    known = {p.stat().st_size for p in v1.rglob("*") if p.is_file()}
    digests = {_digest(p) for p in v1.rglob("*") if p.is_file() and not p.is_symlink()}
    for path in sorted(v2.rglob("*")):
        if not path.is_file() or path.is_symlink():
            continue
        if path.stat().st_size in known and _digest(path) in digests:
            continue
        old = v1 / path.relative_to(v2)
        out.append((old if old.is_file() else None, path))
    return out


def _digest(path: Path) -> bytes:
    from blake3 import blake3

    return blake3(path.read_bytes()).digest()


PROGRAMS = {"xdelta3": "xdelta3 -e -9 -f -q -s '{old}' '{new}' '{out}'", "bsdiff": "bsdiff '{old}' '{new}' '{out}'"}


@lru_cache(maxsize=4)
def differences(program: str, v1: Path, v2: Path, scratch: Path) -> tuple[int, float]:
    """(bytes, seconds) of differences file by file; new files at zstd -3, as the table says for its peers."""
    total, out, line = 0, scratch / "one.diff", PROGRAMS[program]
    started = time.perf_counter()
    for old, new in changed_files(v1, v2):
        command = line.format(old=old, new=new, out=out) if old else f"zstd -3 -q -f -o '{out}' '{new}'"
        shell(command)
        total += out.stat().st_size
    return total, time.perf_counter() - started


def patch_from_bytes(v1: Path, v2: Path, scratch: Path) -> int:
    for name, source in (("v1", v1), ("v2", v2)):
        shell(f"tar c --sort=name --mtime=@0 -C '{source}' . > '{scratch}/{name}.tar'")
    out = scratch / "patch.zst"
    shell(f"zstd -3 --long=31 -q -f --patch-from='{scratch}/v1.tar' '{scratch}/v2.tar' -o '{out}'")
    for name in ("v1", "v2"):
        (scratch / f"{name}.tar").unlink()
    return out.stat().st_size
