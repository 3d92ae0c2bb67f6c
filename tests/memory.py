"""What a file's tests begin with, filled in once and then copied: the database by PostgreSQL, the folder as it lies.

Each test has its own copy, and changes it as it likes.
"""

from __future__ import annotations

import itertools
import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path

import psycopg

NUMBERS = itertools.count(1)


def plain(url: str) -> tuple[str, str]:
    """(where databases are made and dropped, the name of this one)."""
    at, name = url.replace("+psycopg", "").rsplit("/", 1)
    return f"{at}/template1", name


def make_database(admin: str, name: str, template: str) -> None:
    with psycopg.connect(admin, autocommit=True) as connection:
        # A template must be nobody's at that moment; listeners of a service in this process may still hold it.
        connection.execute(
            "select pg_terminate_backend(pid) from pg_stat_activity where datname = %s and usename = user", [template]
        )
        connection.execute(f"create database {name} template {template}")


def drop_database(admin: str, name: str) -> None:
    with psycopg.connect(admin, autocommit=True) as connection:
        connection.execute(f"drop database {name} with (force)")


class Memory:
    """By name: a database, a folder, and the owner's password. One a process of the tests."""

    def __init__(self) -> None:
        self._root = Path(tempfile.mkdtemp(prefix="rampa-memory-"))
        self._kept: dict[str, tuple[str, str]] = {}

    def bring(self, key: str, url: str, root: Path, fill: Callable[[], str]) -> str:
        """Has `fill` fill the database and the folder the first time; it returns the password, and so does this."""
        admin, name = plain(url)
        if key in self._kept:
            template, password = self._kept[key]
            drop_database(admin, name)
            make_database(admin, name, template)
            for there in root.iterdir():
                shutil.rmtree(there) if there.is_dir() else there.unlink()
            shutil.copytree(self._root / template, root, symlinks=True, dirs_exist_ok=True)
            return password
        password = fill()
        template = f"{name}_kept_{next(NUMBERS)}"
        make_database(admin, template, name)
        shutil.copytree(root, self._root / template, symlinks=True)
        self._kept[key] = template, password
        return password

    def forget(self) -> None:
        shutil.rmtree(self._root, ignore_errors=True)
