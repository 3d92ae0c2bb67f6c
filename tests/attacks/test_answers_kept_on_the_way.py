"""Answers that a cache on the way keeps, and gives to the next one who asks; files that a browser takes for pages.

Before: bundle, statement and manifest were "public", and most answers said nothing at all.
"""

from __future__ import annotations

from pathlib import Path

import pytest
from flask import Flask

from rampa.client import Client
from rampa.schema.common import Role
from tests.conftest import World
from tests.samples import add_key, build, import_title, make_folder
from tests.service.test_access import EXPECTED, filled

KEPT = ("bundle", "statement", "signature", "depots/base/manifest")


@pytest.fixture
def made(client: Client, tmp_path: Path) -> str:
    add_key(client)
    import_title(client)
    build(client, make_folder(tmp_path / "folder"), tmp_path / "state")
    pack = next(iter((tmp_path / "store/packs").glob("*/*.pack")))
    return pack.stem


def test_no_answer_is_kept_by_others(world: World, made: str) -> None:
    app = world.app
    assert isinstance(app, Flask)
    token = {"Authorization": f"Bearer {world.token(Role.OWNER)}"}
    http = app.test_client()
    seen = {}
    for route, may in EXPECTED.items():
        method, _, rule = route.partition(" ")
        if "stream" in rule or "/git/" in rule:
            continue
        answer = http.open(filled(rule), method=method, headers=token if may != "public" else {})
        assert answer.headers["X-Content-Type-Options"] == "nosniff", route
        seen[route] = answer.headers.get("Cache-Control", "")
    public = {route: said for route, said in seen.items() if "private" not in said and "no-store" not in said}
    assert set(public.values()) <= {"no-cache", "no-cache, max-age=0", "public, max-age=0"}, public
    assert all(EXPECTED[route] == "public" for route in public)
    for tail in KEPT:
        answer = http.get(f"/api/v1/titles/peatlight/builds/1/{tail}", headers=token)
        assert answer.status_code == 200, tail
        assert answer.headers["Cache-Control"].startswith("private, "), tail
    assert http.get(f"/api/v1/packs/{made}", headers=token).headers["Cache-Control"].startswith("private, ")


def test_what_is_refused_is_not_kept_either(world: World, made: str) -> None:
    app = world.app
    assert isinstance(app, Flask)
    http = app.test_client()
    for address in (f"/api/v1/packs/{made}", "/api/v1/titles", "/api/v1/nothing"):
        answer = http.get(address)
        assert answer.status_code in (401, 404)
        assert answer.headers["Cache-Control"] == "no-store"
