"""A backup of database and content store that fit each other, made while the service runs; and its restoration.

    BACKUP/database.dump         pg_dump's custom format, taken first
    BACKUP/packs/, manifests/    as in the content store, under their digests; what is there already is not copied again
    BACKUP/backup.json           written last: without it the backup is not whole

While a backup is made the store removes nothing, so everything that the dump names is there when it is copied. What arrives
meanwhile is copied, too, and does no harm. The master key is not part of it: keep it elsewhere.
"""

from __future__ import annotations

import argparse
import datetime as dt
import json
import os
import shutil
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import unquote, urlsplit

from blake3 import blake3

from rampa import __version__
from rampa.core.errors import Conflict, Damaged, NotFound, RampaError, Unavailable
from rampa.core.files import replace_file, replacing
from rampa.core.signing.seal import read_masters
from rampa.db import Database, store_state
from rampa.db.migrate import migrate
from rampa.local.postgres import find_programs, private_server
from rampa.local.service import ServiceFolder, stop
from rampa.operations.base import Services
from rampa.operations.base.environment import needed
from rampa.operations.store.collection import hold, let_go
from rampa.store.address import open_store
from rampa.store.folder import FolderStore
from rampa.store.objects import ObjectStore

HOURS = 12
PIECE = 4 * 1024 * 1024
KINDS = {"packs": ".pack", "manifests": ".manifest"}
Store = FolderStore | ObjectStore


def back_up(url: str, store: Store, out: Path) -> dict[str, object]:
    """Raises `Unavailable` when the database cannot be dumped, `Damaged` for content that is not what its name says."""
    out.mkdir(parents=True, exist_ok=True, mode=0o700)
    services = Services(Database(url, pool_size=1), store, bytes(32))
    # A backup that breaks off half-way must not look whole: the mark of the one before goes first.
    (out / "backup.json").unlink(missing_ok=True)
    until = hold(services, dt.timedelta(hours=HOURS))
    try:
        _dump(url, out / "database.dump")
        copied = {kind: _copy(store, kind, out) for kind in KINDS}
    finally:
        let_go(services, until)
        services.db.engine.dispose()
    said: dict[str, object] = {
        "made_at": dt.datetime.now(dt.UTC).isoformat(timespec="seconds"),
        "version": __version__,
        "database": (out / "database.dump").stat().st_size,
        **{kind: {"files": files, "bytes": size, "copied": new} for kind, (files, size, new) in copied.items()},
    }
    replace_file(out / "backup.json", (json.dumps(said, indent=1) + "\n").encode())
    return said


def restore(backup: Path, data: Path, master_key: Path) -> None:
    """Fills an empty data folder so that `bin/up` starts what was backed up. Raises `NotFound`, `Conflict`, `Damaged`."""
    if not (backup / "backup.json").is_file():
        raise NotFound("backup.missing", "there is no whole backup here: backup.json is missing", where=str(backup))
    if data.exists() and any(data.iterdir()):
        raise Conflict(
            "restore.folder", "this folder is not empty", where=str(data), hint="Name a new or an empty one."
        )
    # Read before anything is made: a wrong file is said while there is nothing to take back.
    read_masters(master_key.read_text())
    folder = ServiceFolder(data / "service")
    folder.root.mkdir(parents=True, mode=0o700)
    shutil.copyfile(master_key, folder.master_key)
    folder.master_key.chmod(0o600)
    for kind, ending in KINDS.items():
        _bring(backup, folder.store, kind, ending)
    postgres = private_server(data / "postgres")
    server = postgres.start()
    try:
        _pg(
            "pg_restore",
            postgres.url(),
            ["--no-owner", "--exit-on-error", "-d", _words(postgres.url())["dbname"]],
            backup,
        )
        migrate(postgres.url())
        _no_backup_is_made(postgres.url())
    finally:
        if server is not None:
            stop(server, signal.SIGINT)


def _no_backup_is_made(url: str) -> None:
    """The dump was taken while one was."""
    database = Database(url, pool_size=1)
    try:
        with database.transaction() as session:
            store_state(session, lock=True).held_until = None
    finally:
        database.engine.dispose()


def _bring(backup: Path, store: Path, kind: str, ending: str) -> None:
    for path in sorted((backup / kind).glob(f"??/*{ending}")):
        if _digest(path) != path.stem:
            raise Damaged("backup.damaged", "this file of the backup is not what its name says", where=str(path))
        target = store / kind / path.parent.name / path.name
        target.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(path, target)


def _copy(store: Store, kind: str, out: Path) -> tuple[int, int, int]:
    """(files, bytes, files that were copied now)."""
    files = size = new = 0
    listed = store.packs() if kind == "packs" else store.manifests()
    for row in listed:
        name = row.digest.hex()
        target = out / kind / name[:2] / (name + KINDS[kind])
        files, size = files + 1, size + row.size
        # Content never changes under its digest: what lies there at full length is what it was.
        if target.is_file() and target.stat().st_size == row.size:
            continue
        hasher = blake3()
        with replacing(target) as stream:
            for piece in _pieces(store, kind, row.digest, row.size):
                hasher.update(piece)
                stream.write(piece)
            if hasher.digest() != row.digest:
                hint = "Run `rampa store check`: it says which builds are hurt."
                raise Damaged("store.damaged", f"{kind[:-1]} {name[:12]} is not what its name says", hint=hint)
        new += 1
    return files, size, new


def _pieces(store: Store, kind: str, digest: bytes, size: int) -> Iterator[bytes]:
    if kind == "manifests":
        yield store.manifest(digest)
        return
    for at in range(0, size, PIECE):
        yield store.read_pack(digest, at, min(PIECE, size - at))


def _digest(path: Path) -> str:
    hasher = blake3()
    with path.open("rb") as stream:
        while piece := stream.read(PIECE):
            hasher.update(piece)
    return hasher.hexdigest()


def _dump(url: str, target: Path) -> None:
    with replacing(target) as out:
        _pg("pg_dump", url, ["-Fc", _words(url)["dbname"]], out)


def _words(url: str) -> dict[str, str]:
    parts = urlsplit(url.replace("postgresql+psycopg", "postgresql"))
    return {
        "host": parts.hostname or "127.0.0.1",
        "port": str(parts.port or 5432),
        "user": unquote(parts.username or ""),
        "password": unquote(parts.password or ""),
        "dbname": parts.path.lstrip("/"),
    }


def _pg(program: str, url: str, words: list[str], stream) -> None:  # type: ignore[no-untyped-def]
    """Runs one of PostgreSQL's programs; the password goes through the environment. `stream`: its output, or a backup to read."""
    said = _words(url)
    command = [str(find_programs() / program), "-h", said["host"], "-p", said["port"], "-U", said["user"], *words]
    environment = {**os.environ, "PGPASSWORD": said["password"]}
    if isinstance(stream, Path):
        with (stream / "database.dump").open("rb") as given:
            done = subprocess.run(command, stdin=given, stderr=subprocess.PIPE, env=environment, check=False)
    else:
        done = subprocess.run(command, stdout=stream, stderr=subprocess.PIPE, env=environment, check=False)
    if done.returncode != 0:
        told = done.stderr.decode(errors="replace").strip()[-600:]
        raise Unavailable("postgres.failed", f"{program} failed: {told}")


@contextmanager
def _running(data: Path) -> Iterator[tuple[str, Store]]:
    """The database and store of a data folder of bin/up, or those that the environment names."""
    if os.environ.get("RAMPA_DATABASE_URL"):
        yield (
            os.environ["RAMPA_DATABASE_URL"],
            open_store(Path(needed("RAMPA_STORE", "the folder of the content store"))),
        )
        return
    postgres = private_server(data / "postgres")
    server = postgres.start()
    try:
        yield postgres.url(), open_store(ServiceFolder(data / "service").store)
    finally:
        if server is not None:
            stop(server, signal.SIGINT)


def main() -> int:
    parser = argparse.ArgumentParser(prog="bin/backup", description=(__doc__ or "").split("\n")[0])
    acts = parser.add_subparsers(dest="act", required=True)
    make = acts.add_parser(
        "make", help="back up into a folder; run it again for the same folder to bring it up to date"
    )
    make.add_argument("out", type=Path)
    bring = acts.add_parser("restore", help="fill an empty data folder, for bin/up with RAMPA_DATA")
    bring.add_argument("backup", type=Path)
    bring.add_argument("data", type=Path)
    bring.add_argument(
        "--master-key", type=Path, required=True, help="the file with the master key, which no backup holds"
    )
    options = parser.parse_args()
    try:
        if options.act == "make":
            with _running(Path(os.environ.get("RAMPA_DATA") or Path(os.environ["RAMPA_ROOT"]) / ".rampa")) as (
                url,
                store,
            ):
                print(json.dumps(back_up(url, store, options.out), indent=1))
            print("The master key is not in it. Keep it elsewhere: without it no secret of the vault can be opened.")
        else:
            restore(options.backup, options.data, options.master_key)
            print(f"Restored. Start it: RAMPA_DATA={options.data.resolve()} bin/up")
    except RampaError as error:
        print(f"bin/backup: {error.sentence()}", file=sys.stderr)
        return 1
    except FileNotFoundError as error:
        print(f"bin/backup: there is no such file: {error.filename}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
