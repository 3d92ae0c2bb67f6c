"""Strangers who send half a request, or a byte now and then, until nobody else gets an answer.

Before: 8 half-sent requests held all threads of the service, and /healthz with them.
"""

from __future__ import annotations

import contextlib
import socket
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from rampa.client import Client
from rampa.core.placement.channels import Audience
from rampa.local.front import BODY_MIB, Front, new_folder, start_front
from rampa.local.postgres import free_port
from rampa.local.service import THREADS, stop
from rampa.schema.channels import ChannelChange
from rampa.schema.runs import NewRuns
from tests.conftest import Live
from tests.hosts import make_authority, missing
from tests.refusals import refuses
from tests.samples import add_key, build, import_title, make_folder

pytestmark = pytest.mark.skipif(bool(missing("nginx")), reason=missing("nginx"))


@contextlib.contextmanager
def in_front(live: Live, root: Path, **tls: Path) -> Iterator[str]:
    """HOST:PORT of a front before this service."""
    import shutil
    import signal

    folder = new_folder()
    front = Front(f"127.0.0.1:{free_port()}", live.address.removeprefix("http://"), folder, **tls)
    process = start_front(front, root / "front.log")
    try:
        yield front.listen
    finally:
        stop(process, signal.SIGTERM)
        shutil.rmtree(folder)


def half(at: str, text: bytes) -> socket.socket:
    host, _, port = at.rpartition(":")
    made = socket.create_connection((host, int(port)), 10)
    made.sendall(text)
    return made


def test_half_requests_hold_nothing(live: Live, tmp_path: Path) -> None:
    with in_front(live, tmp_path) as at, contextlib.ExitStack() as stack:
        kinds = (
            b"GET /healthz HTTP/1.1\r\nHost: x\r\n",
            b"POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 900\r\n\r\n{",
            b'POST /api/v1/session HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked\r\n\r\n5\r\n{"em',
        )
        for number in range(THREADS + 20):
            stack.enter_context(half(at, kinds[number % len(kinds)]))
        began = time.monotonic()
        for path in ("/healthz", "/readyz", "/"):
            assert httpx.get(f"http://{at}{path}", timeout=20, trust_env=False).status_code == 200
        # Not a bound on speed: it is ten seconds and more before the first of them is left.
        assert time.monotonic() - began < 10


def test_everything_works_through_it(live: Live, tmp_path: Path) -> None:
    with live.client() as direct:
        token = direct.connection.bearer.current()
    with in_front(live, tmp_path) as at, Client(f"http://{at}", token) as client:
        import_title(client)
        assert [t.slug for t in client.titles.all()] == ["peatlight"]
        # Problems come as the service says them, and events as they happen.
        with refuses("source.none", "no repository"):
            client.runs.start("peatlight", NewRuns(profiles=["linux-release"]))
        assert next(client.runs.watch_all("peatlight")) == []


def test_a_body_is_no_larger_than_is_taken(live: Live, tmp_path: Path) -> None:
    with in_front(live, tmp_path) as at:
        size = BODY_MIB * 1024 * 1024 + 1
        with half(at, f"POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Length: {size}\r\n\r\n".encode()) as sent:
            assert b" 413 " in sent.recv(200)


def test_a_client_s_own_word_for_its_address_is_dropped(live: Live, tmp_path: Path) -> None:
    """The service behind it takes the front's word alone."""
    with in_front(live, tmp_path) as at:
        headers = {"X-Forwarded-For": "203.0.113.9, 127.0.0.1"}
        body = {"email": "nobody@quillback.example", "password": "fog"}
        answer = httpx.post(f"http://{at}/api/v1/session", json=body, headers=headers, trust_env=False)
        assert answer.status_code == 401
    with live.client() as client:
        said = next(e.sentence for e in client.events.all() if e.act == "sign-in.refuse")
    assert "127.0.0.1" in said
    assert "203.0.113.9" not in said


def test_with_a_certificate_it_speaks_tls_alone(live: Live, tmp_path: Path) -> None:
    authority, certificate = make_authority(tmp_path)
    certificate.chmod(0o600)
    with in_front(live, tmp_path, certificate=certificate, key=certificate) as at:
        import ssl

        context = ssl.create_default_context(cafile=str(authority))
        with httpx.Client(verify=context, trust_env=False) as http:
            answer = http.get(f"https://{at}/healthz")
            assert answer.status_code == 200
            assert "max-age" in answer.headers["Strict-Transport-Security"]
            with pytest.raises(httpx.HTTPError):
                httpx.get(f"https://{at}/healthz", trust_env=False)
        assert httpx.get(f"http://{at}/healthz", trust_env=False).status_code == 400


def test_a_service_that_is_away_is_waited_for(live: Live, tmp_path: Path) -> None:
    with live.client() as direct:
        token = direct.connection.bearer.current()
    with in_front(live, tmp_path) as at:
        live.stop_service()
        answer = httpx.get(f"http://{at}/api/v1/titles", trust_env=False)
        assert (answer.status_code, answer.json()["detail"]) == (503, "the service is being started")
        with Client(f"http://{at}", token) as client:
            client.connection._patience = 0
            with refuses("service.away", "is being started"):
                client.titles.all()


def test_a_front_that_does_not_start_says_why(live: Live, tmp_path: Path) -> None:
    (tmp_path / "none.pem").write_text("fog\n")
    broken = tmp_path / "none.pem"
    with refuses("front.failed", "cannot load certificate"), in_front(live, tmp_path, certificate=broken, key=broken):
        pass


def test_offers_are_kept_for_everybody_also_while_the_service_is_away(live: Live, tmp_path: Path) -> None:
    """Devices that look learn nothing new then, and are not turned away; a channel by invitation is never kept."""
    with live.client() as client:
        add_key(client)
        import_title(client)
        build(client, make_folder(tmp_path / "source", 100_000), tmp_path / "state")
        client.channels.change("peatlight", "early", ChannelChange(audience=Audience.FOR_EVERYBODY))
        for channel in ("early", "studio"):
            seen = client.channels.preview("peatlight", channel, 1)
            client.channels.place("peatlight", channel, 1, seen.etag)
    with in_front(live, tmp_path) as at:

        def ask(channel: str, **headers: str) -> httpx.Response:
            path = f"http://{at}/api/v1/offers/example.quillback.peatlight/{channel}/linux"
            return httpx.get(path, headers=headers, timeout=20, trust_env=False)

        offer = ask("early").content
        assert ask("early", Authorization="Bearer of nothing", Cookie="rampa_session=x").content == offer
        assert ask("studio").status_code == 404
        live.kill()
        again = ask("early")
        assert (again.status_code, again.content) == (200, offer)
        assert ask("studio").status_code == 503
