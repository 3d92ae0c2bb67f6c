"""Every trouble of an operator, at every state: the submission goes on, nothing is taken twice, no version code is lost."""

from __future__ import annotations

import base64
import datetime as dt
import hashlib
import json
import threading
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import httpx
import pytest
from sqlalchemy import create_engine, select
from sqlalchemy.orm import sessionmaker

from rampa.core.bundle.sources import BytesSource
from rampa.core.errors import RampaError, Unavailable
from rampa.core.submission.life import SubmissionState as S
from rampa.schema import storefronts as wire
from rampa.standin.storefront.tables import StoreSubmissionRow
from rampa.standin.storefront.trouble import Trouble, troubles
from rampa.storefronts.conformance import Trial
from rampa.storefronts.http_storefront import HttpStorefront
from rampa.storefronts.port import Sending
from tests.refusals import refuses
from tests.shops import AT, OPERATOR, Quay
from tests.storefronts.conftest import Opens

STATES = (S.SENT, S.CHECKING, S.WAITING, S.REVIEWING, S.QUESTION, S.REFUSED, S.PASSED, S.PARTLY_LIVE, S.LIVE)
TROUBLES = ("failing", "maintenance", "cut", "revoke", "rules", "lose")
REACHES: dict[S, tuple[str, ...]] = {
    S.SENT: (),
    S.CHECKING: (),
    S.WAITING: (),
    S.REVIEWING: ("claim",),
    S.QUESTION: ("claim", "ask"),
    S.REFUSED: ("claim", "refuse"),
    S.PASSED: ("claim", "pass"),
    S.PARTLY_LIVE: ("claim", "pass"),
    S.LIVE: ("claim", "pass"),
}


def brought(quay: Quay, trial: Trial, state: S) -> wire.SubmissionAt:
    made = trial.storefront.submit(trial.sent(), f"key-{trial.code:08}")
    if state is S.CHECKING:
        quay.pass_(6)
    elif state is not S.SENT:
        quay.until(quay.adapter(), made.id, S.WAITING)
    for act in REACHES[state]:
        quay.review(made.id, act, "In words.")
    if state in (S.PARTLY_LIVE, S.LIVE):
        share = 20 if state is S.PARTLY_LIVE else 100
        quay.adapter().act(made.id, wire.ActIn(act="go-live", share=share))
    seen = quay.adapter().submission(made.id)
    assert seen.state is state
    return seen


def patiently(quay: Quay, call: Callable[[], wire.SubmissionAt]) -> wire.SubmissionAt:
    """As Rampa's jobs do it: what is not there now is asked again later; an account that was thrown out is let in again."""
    for _ in range(12):
        try:
            return call()
        except Unavailable:
            quay.pass_(20)
        except RampaError as error:
            if error.code != "storefront.revoked":
                raise
            quay.token = ""
            quay.token_at = quay.now.replace(year=2020)
    raise AssertionError("it never came back")


@pytest.mark.parametrize("what", TROUBLES)
def test_each_trouble_at_each_state(what: str, opens: Opens) -> None:
    quay = opens("mossgate")
    trial = quay.trial()
    for state in STATES:
        made = brought(quay, trial, state)
        before = quay.adapter().title(trial.identifier).highest_codes
        quay.trouble(what, "2")
        key = f"key-{made.version_code:08}"
        seen = patiently(quay, lambda of=made.id: quay.adapter().submission(of))  # type: ignore[misc]
        # Time went by while it was asked again: it may have gone on, and it lost nothing.
        assert (seen.id, seen.events[: len(made.events)]) == (made.id, made.events), (what, state)
        assert patiently(quay, lambda: quay.adapter().submissions(trial.identifier)[0]).id == made.id
        if state is S.SENT and what == "lose":
            quay.pass_(10)
            assert quay.adapter().submission(made.id).state is S.LOST, "it says so, and it is sent again"
        if what not in ("revoke", "lose"):
            quay.trouble(what, "0")
        if not (state is S.SENT and what == "lose"):
            assert quay.adapter().title(trial.identifier).highest_codes == before, "no version code was lost or made up"
        with quay.shop.begin() as session:
            rows = select(StoreSubmissionRow.key).where(StoreSubmissionRow.key == key)
            assert len(session.scalars(rows).all()) == 1, "nothing was taken twice"


def test_a_call_that_failed_half_way_is_taken_once(opens: Opens) -> None:
    """The storefront takes it, and its answer is lost: sent again with its key, it is the same submission."""
    quay = opens("northquay")
    trial = quay.trial()
    asked = trial.sent()

    class LosesAnswers(httpx.BaseTransport):
        def __init__(self) -> None:
            self.left = 2
            self.inner = httpx.WSGITransport(app=quay.app, raise_app_exceptions=False)

        def handle_request(self, request: httpx.Request) -> httpx.Response:
            answer = self.inner.handle_request(request)
            if request.method == "POST" and self.left:
                self.left -= 1
                raise httpx.ReadError("the line is gone")
            return answer

    lossy = HttpStorefront(httpx.Client(base_url=AT, transport=LosesAnswers()), quay.fresh, quay.waits.append)
    for _ in range(2):
        with refuses("storefront.silent"):
            lossy.submit(asked, "key-once-00")
    made = lossy.submit(asked, "key-once-00")
    assert [s.id for s in quay.adapter().submissions(trial.identifier)] == [made.id]


def test_an_upload_that_is_cut_goes_on_behind_what_arrived(opens: Opens, monkeypatch: pytest.MonkeyPatch) -> None:
    from rampa.storefronts import http_storefront

    monkeypatch.setattr(http_storefront, "PIECE", 64 * 1024)
    quay = opens("northquay")
    trial = quay.trial()
    trial.sent()
    asked, bundle = trial.next()
    quay.trouble("cut", "50000")
    seen: list[int] = []
    begun: list[str] = []
    adapter = quay.adapter()
    upload = adapter.send_bundle(
        bundle, asked.sha256, Sending(on_begun=begun.append, on=lambda done, _: seen.append(done))
    )
    assert (begun, quay.waits) == ([upload], [1])
    assert any(0 < done < 64 * 1024 for done in seen), "it went on in the middle of a piece"
    assert adapter.submit(asked.model_copy(update={"upload": upload}), "key-00000001").state is S.SENT
    with refuses("storefront.silent"):
        quay.trouble("failing", "0")
        gone = HttpStorefront(
            httpx.Client(base_url="http://127.0.0.1:9", trust_env=False), quay.fresh, quay.waits.append
        )
        gone.send_bundle(bundle, asked.sha256, Sending(begun=upload))


def test_a_database_from_yesterday_is_noticed(opens: Opens) -> None:
    quay = opens("northquay")
    trial = quay.trial()
    trial.storefront.submit(trial.sent(), "key-00000001")
    quay.pass_(3600)
    made = trial.storefront.submit(trial.sent(), "key-00000002")
    quay.pass_(600)
    quay.trouble("forget", "30")
    with refuses("storefront.submission", "there is no such submission here"):
        quay.adapter().submission(made.id)
    assert [s.version_code for s in quay.adapter().submissions(trial.identifier)] == [1]
    assert quay.adapter().title(trial.identifier).highest_codes == {made.platform: 1}, (
        "less than was taken: whoever sent 2 can see that"
    )


def test_a_database_that_is_away_is_a_storefront_that_is_away(opens: Opens, monkeypatch: pytest.MonkeyPatch) -> None:
    quay = opens("northquay")
    quay.fresh()
    gone = create_engine("postgresql+psycopg://nobody:x@127.0.0.1:9/none")
    monkeypatch.setattr(quay.shop, "_sessions", sessionmaker(gone))
    with quay.http() as http:
        answer = http.get(f"{wire.API}/account")
    assert (answer.status_code, answer.json()["code"]) == (503, "storefront.database")
    assert answer.headers["Retry-After"] == "20"


def test_what_is_on_is_said_and_ends(opens: Opens) -> None:
    quay = opens("northquay")
    quay.trouble("maintenance", "10")
    quay.trouble("failing", "1")
    assert set(troubles(quay.shop)) == {"maintenance", "failing"}
    with refuses("storefront.away", "answers with 500"):
        quay.adapter().about()
    with refuses("storefront.away", "being looked after until"):
        quay.adapter().about()
    with quay.http() as http:
        assert http.get(f"{wire.API}/about").json()["code"] == "storefront.maintenance"
    quay.pass_(601)
    assert quay.adapter().about().name == "northquay"
    quay.trouble(Trouble.SLOW, "0")
    with refuses("operator.trouble"):
        quay.trouble("fog")


def test_the_operators_page_is_behind_a_secret(opens: Opens) -> None:
    quay = opens("mossgate")
    trial = quay.trial()
    made = trial.storefront.submit(trial.sent(permissions={"camera": "<script>alert(1)</script>"}), "key-00000001")
    quay.until(quay.adapter(), made.id, S.WAITING)
    with quay.http() as http:
        for secret in ("", "x", OPERATOR[:-1]):
            assert http.get(f"/operator/{secret}").status_code == 404
            assert http.post(f"/operator/{secret}/trouble", data={"what": "revoke"}).status_code in (404, 405)
        at = f"/operator/{OPERATOR}"
        page = http.get(at).text
        assert ("&lt;script&gt;alert(1)" in page, "<script>" in page) == (True, False)
        http.post(f"{at}/trouble", data={"what": "slow", "value": "3"})
        assert "answers take 3 s more" in http.get(at).text


HOSTILE: dict[str, tuple[int, dict[str, str], bytes]] = {
    "another form": (200, {}, b'{"name": 3}'),
    "no json": (200, {}, b"<html>fog</html>"),
    "deep": (200, {}, b"[" * 100_000),
    "endless": (200, {}, b"x" * (5 << 20)),
    "a redirect inside": (302, {"Location": "http://169.254.169.254/latest"}, b""),
    "no content": (204, {}, b""),
    "words that command": (409, {}, json.dumps({"code": "a", "detail": "\x1b[2J\x07" + "fog " * 9000}).encode()),
    "a problem that is none": (422, {}, b"[1, 2]"),
    "wrong types": (403, {}, b'{"code": 7, "detail": {"a": 1}, "hint": null}'),
    "a wait without an end": (503, {"Retry-After": "9" * 400 + "\tx"}, b""),
}


@pytest.mark.parametrize("what", HOSTILE)
def test_a_hostile_storefront_harms_nothing(what: str) -> None:
    status, headers, body = HOSTILE[what]
    asked: list[str] = []

    def answer(request: httpx.Request) -> httpx.Response:
        asked.append(str(request.url))
        return httpx.Response(status, headers=headers, content=body)

    hostile = HttpStorefront(
        httpx.Client(base_url=AT, transport=httpx.MockTransport(answer)), lambda: "t", lambda _: None
    )
    calls: tuple[Callable[[], object], ...] = (
        hostile.about,
        lambda: hostile.submission("x"),
        lambda: hostile.send_bundle(BytesSource(b"fog"), "0" * 64, Sending()),
    )
    for call in calls:
        with pytest.raises(RampaError) as told:
            call()
        sentence = told.value.sentence()
        assert len(sentence) < 2000
        assert sentence.isprintable()
    assert all(address.startswith(AT) for address in asked), "no redirect is followed"


@pytest.mark.parametrize(
    ("headers", "said"),
    [
        ({}, "it does not say where the upload is"),
        ({"Location": "/storefront/v1/uploads/../../admin"}, "it does not say where the upload is"),
        ({"Location": f"/u/{'a' * 36}", "Upload-Offset": "-1"}, "it does not say how much it has"),
        ({"Location": f"/u/{'a' * 36}", "Upload-Offset": "9" * 30}, "it does not say how much it has"),
    ],
)
def test_uploads_that_are_answered_with_lies(headers: dict[str, str], said: str) -> None:
    def answer(request: httpx.Request) -> httpx.Response:
        return httpx.Response(201 if request.method == "POST" else 204, headers=headers)

    hostile = HttpStorefront(
        httpx.Client(base_url=AT, transport=httpx.MockTransport(answer)), lambda: "t", lambda _: None
    )
    with refuses("storefront.answer", said):
        hostile.send_bundle(BytesSource(b"fog"), "0" * 64, Sending())


class Listens(BaseHTTPRequestHandler):
    got: list[tuple[dict[str, str], bytes]] = []
    status = 204

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"]))
        type(self).got.append(({k.lower(): v for k, v in self.headers.items()}, body))
        self.send_response(type(self).status)
        self.end_headers()

    def log_message(self, *_: object) -> None:
        pass


def test_the_studio_is_told_by_signed_notices(opens: Opens) -> None:
    from standardwebhooks import Webhook

    from rampa.standin.storefront.notices import send_due

    quay = opens("northquay")
    quay.now = dt.datetime.now(dt.UTC)  # what is signed says when, and whoever reads it looks at the clock
    server = ThreadingHTTPServer(("127.0.0.1", 0), Listens)
    thread = threading.Thread(target=server.serve_forever)
    thread.start()
    Listens.got, Listens.status = [], 500
    try:
        with quay.http() as http:
            headers = {"Authorization": f"Bearer {quay.fresh()}"}
            to = f"http://127.0.0.1:{server.server_port}/notices"
            secret = http.put(f"{wire.API}/notices", json={"address": to}, headers=headers).json()["secret"]
        trial = quay.trial()
        made = trial.storefront.submit(trial.sent(), "key-00000001")
        quay.pass_(3)
        assert send_due(quay.shop) == 0, "the studio stumbled: it is told again"
        Listens.status = 204
        quay.pass_(3)
        assert send_due(quay.shop) >= 1
        headers_, body = Listens.got[-1]
        said = Webhook(secret).verify(body, headers_)
        assert said == {"submission": made.id, "storefront": "northquay"}
        first = {h["webhook-id"] for h, _ in Listens.got}
        assert f"northquay-{1}" in first
    finally:
        server.shutdown()
        thread.join()
        server.server_close()


def test_uploads_as_tus_says(opens: Opens) -> None:
    quay = opens("northquay")
    with quay.http() as http:
        said = http.options(f"{wire.API}/uploads").headers
        assert (said["Tus-Version"], said["Tus-Extension"]) == ("1.0.0", "creation,expiration,termination")
        http.headers.update({"Authorization": f"Bearer {quay.fresh()}"})
        assert http.post(f"{wire.API}/uploads").json()["code"] == "tus.version"
        http.headers.update({"Tus-Resumable": "1.0.0"})
        for headers, code in (
            ({}, "tus.header"),
            ({"Upload-Length": "-3"}, "tus.header"),
            ({"Upload-Length": "9" * 15}, "upload.large"),
            ({"Upload-Length": "3"}, "upload.digest"),
            ({"Upload-Length": "3", "Upload-Metadata": "sha256 !!"}, "tus.metadata"),
        ):
            assert http.post(f"{wire.API}/uploads", headers=headers).json()["code"] == code, headers
        adapter = quay.adapter()
        upload = adapter.send_bundle(BytesSource(b"fog"), hashlib.sha256(b"fog").hexdigest(), Sending())
        at = f"{wire.API}/uploads/{upload}"
        piece = {"Upload-Offset": "1", "Content-Type": "application/offset+octet-stream"}
        assert http.patch(at, content=b"x", headers=piece).json()["code"] == "upload.offset"
        assert http.patch(at, content=b"x").json()["code"] == "tus.type"
        assert http.patch(f"{wire.API}/uploads/fog", content=b"x", headers=piece).json()["code"] == "upload.unknown"
        begun = {"Upload-Length": "3", "Upload-Metadata": f"sha256 {base64.b64encode(b'0' * 64).decode()}"}
        other = http.post(f"{wire.API}/uploads", headers=begun).headers["Location"]
        damaged = http.patch(other, content=b"bog", headers=piece | {"Upload-Offset": "0"})
        assert damaged.json()["code"] == "upload.damaged"
        assert http.head(other).status_code == 404, "it begins anew"
        assert http.delete(at).status_code == 204
        assert http.head(at).status_code == 404
        quay.pass_(1)
