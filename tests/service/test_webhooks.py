"""Webhooks: each event once to each target that wants it, signed; targets that are slow, endless, private or gone; a feed."""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from xml.etree import ElementTree

import pytest
from standardwebhooks import Webhook

from rampa.client import Client
from rampa.core.placement.channels import Audience
from rampa.operations.notices import sending
from rampa.schema.channels import ChannelChange, NewChannel
from rampa.schema.common import Role
from rampa.schema.notices import NewWebhook, WebhookChange
from rampa.schema.releases import NewRelease, ReleaseNote
from rampa.schema.testers import NewGroup
from rampa.store import outbound
from rampa.store.outbound import Answer, poster
from rampa.store.reach import Reach
from tests.conftest import Begun, World
from tests.refusals import refuses
from tests.samples import import_title
from tests.testing import TITLE, fill

HERE = Reach(hosts=("127.0.0.1", "localhost"), variable="RAMPA_WEBHOOK_HOSTS")
Respond = Callable[[BaseHTTPRequestHandler], None]


@dataclass
class Target:
    address: str
    got: list[tuple[dict[str, str], bytes]] = field(default_factory=list)


@contextmanager
def target(respond: Respond) -> Iterator[Target]:
    """A real server on loopback; `respond` writes the answer."""

    class Answers(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            body = self.rfile.read(int(self.headers["Content-Length"]))
            found.got.append(({k.lower(): v for k, v in self.headers.items()}, body))
            respond(self)

        def do_GET(self) -> None:
            respond(self)

        def log_message(self, *_: object) -> None:
            pass

    with ThreadingHTTPServer(("127.0.0.1", 0), Answers) as server:
        server.daemon_threads, server.block_on_close = True, False
        found = Target(f"http://127.0.0.1:{server.server_address[1]}/hooks?team=night")
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield found
        server.shutdown()


def with_status(status: int) -> Respond:
    def respond(to: BaseHTTPRequestHandler) -> None:
        to.send_response(status)
        to.send_header("Content-Length", "4")
        to.end_headers()
        to.wfile.write(b"fog\n")

    return respond


@pytest.fixture
def titled(client: Client) -> Client:
    import_title(client)
    return client


def test_an_event_is_sent_once_signed_and_only_to_who_wants_it(world: World, titled: Client) -> None:
    with target(with_status(204)) as all_of_it, target(with_status(200)) as builds:
        made = titled.webhooks.add(TITLE, NewWebhook(name="everything", address=all_of_it.address))
        titled.webhooks.add(TITLE, NewWebhook(name="builds", address=builds.address, acts=["build.", "run.fail"]))
        titled.channels.add(TITLE, NewChannel(name="press"))
        post = poster(HERE)
        assert sending.send_due(world.services, post) == 3
        assert sending.send_due(world.services, post) == 0
        assert builds.got == []
        said = [Webhook(made.secret).verify(body, headers) for headers, body in all_of_it.got]
        assert [s["type"] for s in said] == [
            "example.rampa.webhook.add",
            "example.rampa.webhook.add",
            "example.rampa.channel.add",
        ]
        assert said[2]["data"]["sentence"] == "Iida added the channel press, by-invitation"
        headers = all_of_it.got[2][0]
        assert headers["content-type"].startswith("application/cloudevents+json")
        assert headers["webhook-id"] == said[2]["id"]
    (one,) = (w for w in titled.webhooks.all(TITLE) if w.name == "everything")
    assert (one.waiting, one.given_up, one.last_status) == (0, 0, 204)
    with world.services.db.engine.connect() as connection:
        kept = str(connection.exec_driver_sql("select sealed from webhook").fetchall())
    assert made.secret not in kept


def test_what_is_not_recorded_is_not_sent(world: World, titled: Client) -> None:
    """In the transaction of the event: what was taken back never happened."""
    with target(with_status(200)) as there:
        titled.webhooks.add(TITLE, NewWebhook(name="all", address=there.address))
        with refuses("channel.exists"):
            titled.channels.add(TITLE, NewChannel(name="studio"))
        sending.send_due(world.services, poster(HERE))
        assert len(there.got) == 1


def test_a_target_that_fails_is_tried_later_and_later_then_given_up_and_sent_again_by_hand(
    world: World, titled: Client
) -> None:
    with target(with_status(500)) as there:
        titled.webhooks.add(TITLE, NewWebhook(name="night", address=there.address))
        moved = world.services
        for _ in range(12):
            sending.send_due(moved, poster(HERE))
            now = moved.now
            moved = replace(moved, now=lambda now=now: now() + dt.timedelta(hours=13))  # type: ignore[misc]
        assert len(there.got) == 10
        (one,) = titled.webhooks.deliveries(TITLE, "night")
        assert (one.state, one.tries, one.status, one.answer) == ("given-up", 10, 500, "fog\n")
        assert len({headers["webhook-id"] for headers, _ in there.got}) == 1
    (webhook,) = titled.webhooks.all(TITLE)
    assert (webhook.waiting, webhook.given_up) == (0, 1)
    with target(with_status(200)) as there:
        titled.webhooks.change(TITLE, "night", WebhookChange(address=there.address))
        titled.webhooks.resend(TITLE, "night", one.id)
        with refuses("state.conflict"):
            titled.webhooks.resend(TITLE, "night", one.id)
        sending.send_due(world.services, poster(HERE))
        assert {d.state for d in titled.webhooks.deliveries(TITLE, "night")} == {"taken"}
    with refuses("delivery.unknown"):
        titled.webhooks.resend(TITLE, "night", "00000000-0000-0000-0000-000000000000")


def test_one_that_is_away_holds_nobody_up_and_paused_ones_wait(world: World, titled: Client) -> None:
    tried: list[str] = []

    def post(address: str, _body: bytes, _headers: object) -> Answer:
        tried.append(address)
        return Answer(0 if "away" in address else 200, "", 1)

    titled.webhooks.add(TITLE, NewWebhook(name="away", address="https://away.example/x"))
    titled.webhooks.add(TITLE, NewWebhook(name="here", address="https://here.example/x", acts=["group."]))
    for n in range(40):
        titled.testers.add_group(TITLE, NewGroup(name=f"g{n}"))
    sending.send_due(world.services, post)
    assert (tried.count("https://away.example/x"), tried.count("https://here.example/x")) == (1, 40)
    titled.webhooks.change(TITLE, "here", WebhookChange(paused=True))
    titled.testers.add_group(TITLE, NewGroup(name="late"))
    sending.send_due(world.services, post)
    assert tried.count("https://here.example/x") == 40
    titled.webhooks.change(TITLE, "here", WebhookChange(paused=False))
    sending.send_due(world.services, post)
    assert tried.count("https://here.example/x") == 41
    titled.webhooks.remove(TITLE, "away")
    assert [w.name for w in titled.webhooks.all(TITLE)] == ["here"]


def test_one_that_says_it_is_gone_is_paused(world: World, titled: Client) -> None:
    titled.webhooks.add(TITLE, NewWebhook(name="gone", address="https://gone.example/x"))
    sending.send_due(world.services, lambda *_: Answer(410, "gone", 1))
    assert titled.webhooks.all(TITLE)[0].paused


def test_a_storm_is_sent_whole_and_once(world: World, titled: Client) -> None:
    titled.webhooks.add(TITLE, NewWebhook(name="all", address="https://here.example/x", acts=["storm."]))
    sent: list[bytes] = []

    def post(_address: str, body: bytes, _headers: object) -> Answer:
        sent.append(body)
        return Answer(200, "", 1)

    with world.services.db.engine.begin() as connection:
        connection.exec_driver_sql(
            "insert into audit_event (id, at, who, act, subject, title, detail, request_id)"
            " select gen_random_uuid(), now(), 'fog', 'storm.wave', 'n' || n, 'peatlight', '{}', ''"
            " from generate_series(1, 300) n"
        )
    assert sending.send_due(world.services, lambda *a: Answer(200, "", 1), most=0) == 0
    with pytest.raises(KeyError):
        sending.send_due(world.services, post)
    assert sent == [], "an act without a sentence stops there, and nothing was marked as sent"
    with world.services.db.engine.begin() as connection:
        connection.exec_driver_sql("update audit_event set act = 'channel.remove' where act = 'storm.wave'")
    assert sending.send_due(world.services, post) == 300
    assert len(set(sent)) == 300


def slow(to: BaseHTTPRequestHandler) -> None:
    DONE.wait(20)


def endless(to: BaseHTTPRequestHandler) -> None:
    to.send_response(200)
    to.send_header("Content-Length", str(10 * 2**30))
    to.end_headers()
    try:
        while not DONE.is_set():
            to.wfile.write(b"fog" * 20_000)
    except OSError:
        pass


DONE = threading.Event()


def test_targets_that_never_answer_never_end_or_lead_elsewhere(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(outbound, "SILENCE", 0.3)
    DONE.clear()
    try:
        with target(slow) as there:
            assert "ReadTimeout" in poster(HERE)(there.address, b"{}", {}).said
        with target(endless) as there:
            answer = poster(HERE)(there.address, b"{}", {})
            assert (answer.status, len(answer.said)) == (200, 2000)

        def elsewhere(to: BaseHTTPRequestHandler) -> None:
            to.send_response(302)
            to.send_header("Location", there.address)
            to.send_header("Content-Length", "0")
            to.end_headers()

        with target(elsewhere) as other:
            assert poster(HERE)(other.address, b"{}", {}).status == 302
    finally:
        DONE.set()


@pytest.mark.parametrize(
    "address",
    [
        "http://127.0.0.1:9/x",
        "http://[::1]/x",
        "http://169.254.169.254/latest",
        "http://[::ffff:10.0.0.1]/",
        "http://localhost/x",
    ],
)
def test_nothing_is_sent_into_the_service_s_own_networks(address: str) -> None:
    answer = poster(Reach(variable="RAMPA_WEBHOOK_HOSTS"))(address, b"{}", {})
    assert answer.status == 0
    assert "RAMPA_WEBHOOK_HOSTS" in answer.said


@pytest.mark.parametrize(
    "address", ["ftp://x/y", "https://", "https://iida@x.example/", "http://x.example:99999/", "/x"]
)
def test_what_is_no_address(titled: Client, address: str) -> None:
    with refuses("webhook.address"):
        titled.webhooks.add(TITLE, NewWebhook(name="x", address=address))


def test_who_may(world: World, titled: Client) -> None:
    titled.webhooks.add(TITLE, NewWebhook(name="x", address="https://x.example/token-in-the-path"))
    with refuses("webhook.exists"):
        titled.webhooks.add(TITLE, NewWebhook(name="x", address="https://x.example/"))
    with refuses("webhook.unknown"):
        titled.webhooks.change(TITLE, "y", WebhookChange(paused=True))
    for role in (Role.VIEWER, Role.TESTER):
        with world.client(role) as other, refuses("role.denied"):
            other.webhooks.all(TITLE)


def test_taken_ones_are_forgotten_after_a_month(world: World, titled: Client) -> None:
    titled.webhooks.add(TITLE, NewWebhook(name="x", address="https://x.example/"))
    sending.send_due(world.services, lambda *_: Answer(200, "", 1))
    assert sending.forget(world.services) == 0
    now = world.services.now
    assert sending.forget(replace(world.services, now=lambda: now() + dt.timedelta(days=31))) == 1


def test_a_channel_for_everybody_has_a_feed(world: World, client: Client, begun: Begun, tmp_path: Path) -> None:
    def filled() -> None:
        fill(client, tmp_path)

    begun(filled)
    http = world.app.test_client()  # type: ignore[attr-defined]
    at = "/api/v1/feeds/example.quillback.peatlight/testers"
    assert http.get(at).json["code"] == "feed.none"
    release = client.releases.make(TITLE, NewRelease(builds=[2]))
    client.releases.leave_out(TITLE, release.number, "windows-release", "Only the desk.")
    client.releases.write_notes(
        TITLE, release.number, ReleaseNote(audience="players", language="en", text="Slower <fog>.")
    )
    client.channels.change(TITLE, "testers", ChannelChange(audience=Audience.FOR_EVERYBODY))
    seen = client.releases.preview(TITLE, release.number, "testers")
    client.releases.place(TITLE, release.number, "testers", seen.etag)
    answer = http.get(at)
    assert answer.content_type == "application/atom+xml"
    feed = ElementTree.fromstring(answer.data)
    atom = "{http://www.w3.org/2005/Atom}"
    entries = feed.findall(f"{atom}entry")
    assert [e.findtext(f"{atom}title") for e in entries] == ["1.4.0 for Linux", "1.4.0 for Linux"]
    assert entries[0].findtext(f"{atom}summary") == "Slower <fog>."
    assert len({e.findtext(f"{atom}id") for e in entries}) == 2
