"""The studio's accounts at storefronts: connected in a browser, renewed, too narrow, revoked, taken away; and who may do it."""

from __future__ import annotations

import re
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest
from werkzeug.serving import make_server

from rampa.client import Client
from rampa.core.submission.account import AccountState
from rampa.operations.storefronts import accounts
from rampa.operations.storefronts.connection import access_token, storefront_of
from rampa.schema import storefronts as protocol
from rampa.schema.common import Role
from rampa.schema.storefront_accounts import ConsentReturn, NewStorefront, StorefrontKind
from rampa.store.reach import Reach
from tests.clock import Clock
from tests.conftest import World
from tests.refusals import refuses
from tests.shops import Quay
from tests.storefronts.conftest import Opens, opens

__all__ = ["opens"]
ORIGIN = "http://localhost:8600"


@contextmanager
def on_loopback(app: object) -> Iterator[str]:
    server = make_server("127.0.0.1", 0, app, threaded=True)  # type: ignore[arg-type]
    thread = threading.Thread(target=server.serve_forever)
    thread.start()
    try:
        yield f"http://127.0.0.1:{server.server_port}"
    finally:
        server.shutdown()
        thread.join()
        server.server_close()


@pytest.fixture
def quay(opens: Opens, world: World, tmp_path: Path) -> Iterator[tuple[Quay, str]]:
    """A storefront on loopback that this service may reach."""
    for name, value in (
        ("origin", ORIGIN),
        ("storefront_reach", Reach(hosts=("127.0.0.1",))),
        ("hand_over", tmp_path / "hand-over"),
    ):
        object.__setattr__(world.services, name, value)
    made = opens("northquay")
    with on_loopback(made.app) as address:
        yield made, address


def lets_in(opened: str, granted: tuple[str, ...] = protocol.SCOPES, answer: str = "yes") -> ConsentReturn:
    """What a person does in a browser, and what the browser brings back."""
    with httpx.Client(trust_env=False) as browser:
        page = browser.get(opened)
        mark = re.search(r'name="mark" value="([^"]+)"', page.text)
        assert mark, page.text
        asked = {name: values[0] for name, values in parse_qs(urlsplit(opened).query).items()}
        form = {**asked, "mark": mark[1], "answer": answer, "scope": list(granted)}
        back = browser.post(str(page.url).partition("?")[0], data=form).headers["location"]
    assert back.startswith(f"{ORIGIN}/storefronts/return?")
    said = {name: values[0] for name, values in parse_qs(urlsplit(back).query).items()}
    return ConsentReturn(**said)


def connected(client: Client, address: str, granted: tuple[str, ...] = protocol.SCOPES) -> None:
    made = client.storefronts.connect(NewStorefront(name="northquay", address=address))
    assert made.account.state is AccountState.CONNECTING
    client.storefronts.come_back(lets_in(made.open, granted))


def test_a_person_lets_rampa_in(client: Client, world: World, quay: tuple[Quay, str]) -> None:
    connected(client, quay[1])
    (found,) = client.storefronts.all()
    assert (found.title, found.state, found.studio, found.missing) == ("Northquay", "connected", "Quillback Works", [])
    assert (found.simulated, found.connected_by, "hold" in found.abilities) == (True, "Iida", True)
    storefront = storefront_of(world.services, "northquay")
    assert storefront.register("example.quillback.peatlight", "Peatlight").highest_codes == {}
    with world.services.db.transaction() as session:
        kept = str(session.connection().exec_driver_sql("select * from storefront").fetchall())
    assert access_token(world.services, "northquay") not in kept, "tokens rest sealed"
    with refuses("storefront.exists"):
        client.storefronts.connect(NewStorefront(name="northquay", address=quay[1]))


def test_too_little_is_said_and_mended_by_letting_it_in_again(client: Client, quay: tuple[Quay, str]) -> None:
    connected(client, quay[1], granted=(protocol.READ, protocol.SUBMIT))
    (found,) = client.storefronts.all()
    assert (found.state, found.missing) == (AccountState.NARROW, [protocol.RELEASE])
    assert found.said == "Rampa needs releases:write and may not: connect it again, with that."
    again = client.storefronts.connect_again("northquay")
    assert again.account.state is AccountState.NARROW, "until somebody went there, it stays what it was"
    assert client.storefronts.come_back(lets_in(again.open)).state is AccountState.CONNECTED


def test_access_is_renewed_by_itself_and_only_once_at_a_time(
    client: Client, world: World, quay: tuple[Quay, str]
) -> None:
    shop, address = quay
    clock = Clock(world)
    shop.now = clock.now
    connected(client, address)
    first = access_token(world.services, "northquay")
    assert access_token(world.services, "northquay") == first
    clock.pass_(minutes=29)
    shop.now = clock.now
    tokens: list[str] = []
    threads = [
        threading.Thread(target=lambda: tokens.append(access_token(world.services, "northquay"))) for _ in range(4)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(set(tokens)) == 1, "four at once renewed it once: the others waited, and got what it brought"
    assert tokens[0] != first
    assert client.storefronts.look("northquay").state is AccountState.CONNECTED


def test_what_the_storefront_takes_away_is_said(client: Client, world: World, quay: tuple[Quay, str]) -> None:
    shop, address = quay
    clock = Clock(world)
    shop.now = clock.now
    connected(client, address)
    clock.pass_(minutes=16)
    shop.trouble("revoke")
    assert accounts.look_due(world.services) == 1
    (found,) = client.storefronts.all()
    assert (found.state, found.said) == (AccountState.REVOKED, "the storefront revoked this access")
    assert [e.act for e in client.events.all(act="storefront.lost")] == ["storefront.lost"]
    with refuses("storefront.not-connected", "the account at Northquay is revoked"):
        storefront_of(world.services, "northquay")
    clock.pass_(minutes=20)
    with refuses("storefront.revoked"):
        access_token(world.services, "northquay")
    client.storefronts.come_back(lets_in(client.storefronts.connect_again("northquay").open))
    assert client.storefronts.all()[0].state is AccountState.CONNECTED


def test_a_storefront_that_is_away_loses_nothing(client: Client, world: World, quay: tuple[Quay, str]) -> None:
    connected(client, quay[1])
    quay[0].trouble("failing", "9")
    found = client.storefronts.look("northquay")
    assert (found.state, found.said) == (AccountState.CONNECTED, "the storefront answers with 500")


def test_ways_back_that_are_no_ones(client: Client, world: World, quay: tuple[Quay, str]) -> None:
    made = client.storefronts.connect(NewStorefront(name="northquay", address=quay[1]))
    back = lets_in(made.open)
    with refuses("storefront.issuer", "this came from elsewhere.example"):
        client.storefronts.come_back(back.model_copy(update={"iss": "https://elsewhere.example"}))
    with refuses("role.denied"):
        world.client(Role.ENGINEER).storefronts.come_back(back)
    with refuses("storefront.consent"):
        client.storefronts.come_back(ConsentReturn(state="made up", code="x"))
    assert client.storefronts.come_back(back).state is AccountState.CONNECTED
    with refuses("storefront.consent", "over, used, or somebody else's"):
        client.storefronts.come_back(back)
    no = lets_in(client.storefronts.connect_again("northquay").open, answer="no")
    with refuses("storefront.no", "access_denied"):
        client.storefronts.come_back(no)
    forged = lets_in(client.storefronts.connect_again("northquay").open).model_copy(update={"code": "forged"})
    with refuses("storefront.no", "the code is over, used, or another program's"):
        client.storefronts.come_back(forged)
    assert client.storefronts.all()[0].state is AccountState.CONNECTED, "nothing of that took away what was"


def test_an_account_is_taken_away_there_and_here(client: Client, world: World, quay: tuple[Quay, str]) -> None:
    connected(client, quay[1])
    held = access_token(world.services, "northquay")
    client.storefronts.disconnect("northquay")
    assert client.storefronts.all() == []
    with refuses("storefront.revoked"):
        quay[0].adapter(held).account()
    with refuses("storefront.unknown"):
        client.storefronts.look("northquay")


def test_by_hand_over_a_folder(client: Client, world: World, quay: tuple[Quay, str]) -> None:
    asked = NewStorefront(name="moorside", kind=StorefrontKind.FOLDER, title="Moorside")
    made = client.storefronts.connect(asked)
    assert (made.open, made.account.state, made.account.simulated) == ("", AccountState.CONNECTED, False)
    assert storefront_of(world.services, "moorside").about().title == "Moorside"
    assert client.storefronts.look("moorside").state is AccountState.CONNECTED
    with refuses("storefront.title"):
        client.storefronts.connect(NewStorefront(name="nameless", kind=StorefrontKind.FOLDER))
    object.__setattr__(world.services, "hand_over", None)
    with refuses("storefront.no-folder", "no folder for hand-overs"):
        client.storefronts.connect(NewStorefront(name="other", kind=StorefrontKind.FOLDER, title="Other"))


ABOUT = protocol.About(
    name="lying", title="Lying", protocol=2, simulated=True, note="", platforms=[], abilities=[], scopes=[], rules=1
)  # fmt: skip
LIES: dict[str, tuple[str, bytes, dict[str, str]]] = {
    "storefront.endpoint": (protocol.METADATA, b'{"authorization_endpoint": "http://169.254.169.254/x"}', {}),
    "storefront.answer": (protocol.METADATA, b'["fog"]', {}),
    "http.endless": (protocol.METADATA, b" " * (9 << 20), {}),
    "http.packed": (protocol.METADATA, b"fog", {"Content-Encoding": "gzip"}),
    "storefront.protocol": ("/storefront/v1/about", ABOUT.model_dump_json().encode(), {}),
}


@contextmanager
def lying(quay: Quay, path: str, body: bytes, headers: dict[str, str]) -> Iterator[str]:
    """The storefront, but for one path."""

    def answer(environ: dict[str, object], start: Callable[..., object]) -> object:
        if environ["PATH_INFO"] != path:
            return quay.app(environ, start)
        start("200 OK", [("Content-Type", "application/json"), ("Content-Length", str(len(body))), *headers.items()])
        return [body]

    with on_loopback(answer) as address:
        yield address


@pytest.mark.parametrize("code", LIES)
def test_a_storefront_that_lies_while_it_is_connected(code: str, client: Client, quay: tuple[Quay, str]) -> None:
    with lying(quay[0], *LIES[code]) as address, refuses(code):
        client.storefronts.connect(NewStorefront(name="lying", address=address))
    assert client.storefronts.all() == []


@pytest.mark.parametrize(
    ("path", "body", "code"),
    [
        ("/oauth/register", b'{"client_id": "", "client_secret": "y"}', "storefront.answer"),
        ("/oauth/token", b'{"access_token": "a", "token_type": "Bearer"}', "storefront.token"),
    ],
)
def test_a_program_and_a_token_that_cannot_be_used(
    path: str, body: bytes, code: str, client: Client, quay: tuple[Quay, str]
) -> None:
    with lying(quay[0], path, body, {}) as address, refuses(code):
        made = client.storefronts.connect(NewStorefront(name="lying", address=address))
        client.storefronts.come_back(lets_in(made.open))


@pytest.mark.parametrize("address", ["http://10.0.0.7", "http://169.254.169.254", "http://[fd00::9]:80"])
def test_storefronts_inside_are_out_of_reach(address: str, client: Client, quay: tuple[Quay, str]) -> None:
    with refuses("source.private"):
        client.storefronts.connect(NewStorefront(name="inside", address=address))


def test_addresses_that_are_none_and_a_service_without_its_own(
    client: Client, world: World, quay: tuple[Quay, str]
) -> None:
    for address in ("ftp://127.0.0.1", "http://iida@127.0.0.1", "fog", ""):
        with refuses("webhook.address"):
            client.storefronts.connect(NewStorefront(name="none", address=address))
    object.__setattr__(world.services, "origin", "")
    with refuses("storefront.no-origin"):
        client.storefronts.connect(NewStorefront(name="none", address=quay[1]))
