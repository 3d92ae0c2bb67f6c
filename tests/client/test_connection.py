"""The way to the service: patience, the service's problems as our errors, lists page after page."""

from __future__ import annotations

from collections.abc import Callable

import httpx
import pytest

from rampa.client import Client
from rampa.client.connection import Connection
from rampa.client.people.sign_in import token_for
from rampa.core import errors
from rampa.schema.builds.builds import BuildSummary
from rampa.schema.common import Page, Problem
from rampa.schema.people import Session
from tests.refusals import refuses

Handler = Callable[[httpx.Request], httpx.Response]


class Clock:
    """Sleeps are counted, not slept."""

    def __init__(self) -> None:
        self.slept: list[float] = []

    def sleep(self, seconds: float) -> None:
        self.slept.append(seconds)


def connection(handler: Handler, clock: Clock | None = None, patience: float = 30.0) -> Connection:
    sleep = (clock or Clock()).sleep
    return Connection("http://rampa.test/", transport=httpx.MockTransport(handler), patience=patience, sleep=sleep)


def problem(status: int, code: str, **more: object) -> httpx.Response:
    body = Problem(type=f"x/{code}", title="t", status=status, detail="what was wrong", code=code, **more)
    return httpx.Response(status, content=body.model_dump_json())


SESSION = {
    "person": {
        "id": "1",
        "name": "Iida",
        "email": "iida@quillback.example",
        "role": "owner",
        "created_at": "2026-11-23T07:00:00Z",
    },
    "studio": "Quillback Works",
    "studio_verified": True,
    "csrf_token": "",
}


def test_a_service_that_starts_again_is_waited_for() -> None:
    answers = iter([None, problem(503, "database.unavailable"), None, httpx.Response(200, json=SESSION)])

    def handler(request: httpx.Request) -> httpx.Response:
        answer = next(answers)
        if answer is None:
            raise httpx.ConnectError("refused")
        return answer

    clock = Clock()
    assert connection(handler, clock).get(Session, "/api/v1/session").person.name == "Iida"
    assert len(clock.slept) == 3
    assert clock.slept == sorted(clock.slept), "each wait is longer than the one before"


def test_patience_ends_with_a_sentence() -> None:
    def handler(request: httpx.Request) -> httpx.Response:
        raise httpx.ConnectError("refused")

    with pytest.raises(errors.Unavailable, match="does not answer") as caught:
        connection(handler, patience=0).get(Session, "/x")
    assert "bin/up" in caught.value.hint


@pytest.mark.parametrize(
    ("status", "code", "kind"),
    [
        (401, "token.expired", errors.Denied),
        (403, "role.denied", errors.Denied),
        (404, "title.unknown", errors.NotFound),
        (409, "build.closed", errors.Conflict),
        (412, "channel.moved", errors.Conflict),
        (413, "pack.too-large", errors.Invalid),
        (422, "request.invalid", errors.Invalid),
        (429, "sign-in.throttled", errors.Denied),
        (507, "store.full", errors.Unavailable),
    ],
)
def test_problems_become_errors_at_once(status: int, code: str, kind: type[errors.RampaError]) -> None:
    clock = Clock()
    with pytest.raises(kind, match="what was wrong") as caught:
        connection(lambda _: problem(status, code, where="here", hint="do this"), clock).get(Session, "/x")
    assert (caught.value.code, caught.value.where, caught.value.hint) == (code, "here", "do this")
    assert clock.slept == [], "what trying again cannot help is not tried again"


def test_what_a_rule_refuses_is_no_conflict() -> None:
    body = {
        "title": "x",
        "kind": "refused",
        "type": "x",
        "status": 409,
        "detail": "blocked",
        "code": "placement.blocked",
    }
    with pytest.raises(errors.Refused, match="blocked"):
        connection(lambda _: httpx.Response(409, json=body)).get(Session, "/x")


def test_something_else_at_the_address_is_said() -> None:
    with pytest.raises(errors.NotFound, match="answered 404") as caught:
        connection(lambda _: httpx.Response(404, text="<html>")).get(Session, "/x")
    assert "address of a Rampa service" in caught.value.hint
    with refuses("answer.unknown", "not what this version"):
        connection(lambda _: httpx.Response(200, json={"odd": 1})).get(Session, "/x")


def test_several_problems_are_all_said() -> None:
    items = [{"where": "name", "message": "too long"}, {"where": "role", "message": "unknown"}]
    with pytest.raises(errors.Invalid, match=r"name: too long\n  role: unknown"):
        connection(lambda _: problem(422, "request.invalid", problems=items)).get(Session, "/x")


def test_lists_are_followed_to_their_end() -> None:
    pages = {None: (["a", "b"], "two"), "two": (["c"], "three"), "three": ([], None)}
    asked = []

    def handler(request: httpx.Request) -> httpx.Response:
        cursor = request.url.params.get("cursor")
        asked.append((cursor, request.url.params.get("limit")))
        names, following = pages[cursor]
        return httpx.Response(200, json={"items": [summary(n) for n in names], "next": following})

    found = list(connection(handler).pages(Page[BuildSummary], "/builds", limit=2))
    assert [b.name for b in found] == ["a", "b", "c"]
    assert asked == [(None, "2"), ("two", "2"), ("three", "2")]


def summary(name: str) -> dict[str, object]:
    texts = (
        "title",
        "profile",
        "platform",
        "purpose",
        "version_name",
        "created_by",
        "notes",
        "why",
        "commit",
        "ref",
    )
    numbers = ("number", "version_code", "revision", "files", "size", "packed", "run", "content_of", "warnings")
    return {
        "name": name,
        "state": "ready",
        "signed": True,
        "pinned": False,
        "live_on": [],
        "created_at": "2026-11-23T07:00:00Z",
        "completed_at": None,
        **dict.fromkeys(texts, "x"),
        **dict.fromkeys(numbers, 1),
    }


def test_creating_calls_carry_a_key_and_changes_their_etag() -> None:
    seen: list[httpx.Headers] = []

    def handler(request: httpx.Request) -> httpx.Response:
        seen.append(request.headers)
        return problem(409, "build.closed")

    client = Client("http://rampa.test", connection=connection(handler))
    for call in (lambda: client.channels.place("peatlight", "studio", 1, "7"), lambda: client.titles.add("x")):
        with pytest.raises(errors.Conflict):
            call()
    assert seen[0]["If-Match"] == '"7"'
    assert len({h["Idempotency-Key"] for h in seen}) == 2


def test_a_download_that_breaks_off_is_said_and_leaves_nothing(tmp_path) -> None:  # type: ignore[no-untyped-def]
    def broken():  # type: ignore[no-untyped-def]
        yield b"half"
        raise httpx.ReadError("gone")

    client = Client("http://rampa.test", connection=connection(lambda _: httpx.Response(200, content=broken())))
    with pytest.raises(errors.Unavailable, match="broke off"):
        client.builds.save_bundle("peatlight", 1, tmp_path / "b.zip")
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("address", ["127.0.0.1:8600", "http://fog:bog", "ftp://fog", "http://", "peatlight"])
def test_what_is_no_address_is_said_before_anything_is_sent(address: str) -> None:
    with refuses("address.invalid", "is not an address"):
        Client(address)


def test_nobody_at_the_address_is_said_by_signing_in() -> None:
    with refuses("service.unreachable", "does not answer"):
        token_for("http://127.0.0.1:1", "iida@quillback.example", "a password", "desk")
