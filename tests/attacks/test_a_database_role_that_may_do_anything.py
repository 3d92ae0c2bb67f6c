"""Who has the database's password, and wants the machine: programs, files, roles, other databases.

Before: the service's role was the cluster's own, and `copy … from program` ran as the user of PostgreSQL.
"""

from __future__ import annotations

import signal
import tempfile
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from psycopg import sql

from rampa.db.migrate import migrate
from rampa.local.postgres import FAST_FOR_TESTS, Postgres, private_server
from rampa.local.service import stop
from tests.refusals import refuses

TRIES = (
    "copy (select 1) to program 'id'",
    "create temp table t (line text); copy t from '/etc/passwd'",
    "select pg_read_file('/etc/passwd')",
    "select pg_ls_dir('/')",
    "select lo_import('/etc/passwd')",
    "create role bog superuser",
    "alter role rampa superuser",
    "alter role rampa_cluster password 'bog'",
    "create database bog",
    "create function f() returns int as '/lib/x86_64-linux-gnu/libc.so.6', 'getpid' language c",
    "create extension file_fdw",
    "alter system set log_statement = 'all'",
    "set role rampa_cluster",
    "select rolpassword from pg_authid",
)


@pytest.fixture(scope="module")
def server() -> Iterator[Postgres]:
    with tempfile.TemporaryDirectory(dir="/tmp") as name:
        Path(name).chmod(0o755)
        made = private_server(Path(name) / "pg", FAST_FOR_TESTS)
        process = made.start()
        assert process
        yield made
        stop(process, signal.SIGINT)


def connected(server: Postgres) -> psycopg.Connection[tuple[object, ...]]:
    return psycopg.connect(server.url().replace("+psycopg", ""), autocommit=True)


@pytest.mark.parametrize("asked", TRIES)
def test_the_service_s_role_may_not(server: Postgres, asked: str) -> None:
    with connected(server) as connection, pytest.raises(psycopg.errors.InsufficientPrivilege):
        connection.execute(sql.SQL(asked))


def test_it_may_what_the_service_does(server: Postgres) -> None:
    migrate(server.url())
    with connected(server) as connection:
        assert connection.execute("select count(*) from person").fetchone() == (0,)


def test_a_cluster_of_before_is_handed_over_at_its_next_start() -> None:
    """Its one role, the service's, had made it."""
    with tempfile.TemporaryDirectory(dir="/tmp") as name:
        Path(name).chmod(0o755)
        old = private_server(Path(name) / "pg", FAST_FOR_TESTS)
        old._keep_password("password")
        make = [str(old.programs / "initdb"), "-D", str(old.data), "-U", "rampa", "--auth=scram-sha-256"]
        old._sudo([*make, f"--pwfile={old.folder / 'password'}", "-E", "UTF8", "--locale=C.UTF-8"])
        for _ in range(2):
            process = old.start()
            assert process
            with connected(old) as connection, pytest.raises(psycopg.errors.InsufficientPrivilege):
                connection.execute("copy (select 1) to program 'true'")
            migrate(old.url())
            stop(process, signal.SIGINT)
        old._keep_password("cluster-password")
        with refuses("postgres.roles", "password authentication failed"):
            old.start()
        assert not old.running()
