"""Ways into the console beside a password, in a real browser: passkeys, the studio's own sign-in, and a machine let in."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor

import psycopg
import pytest
from playwright.sync_api import Browser, Page, expect

from rampa.client import Client
from rampa.client.people.sign_in import ask_browser, token_from_browser
from tests.conftest import OWNER, Live
from tests.console.driving import MARKS
from tests.provider import CLIENT, SECRET, StandInProvider, serving
from tests.samples import import_title

pytestmark = MARKS


@pytest.fixture
def provider() -> Iterator[StandInProvider]:
    with serving() as provider:
        yield provider


@pytest.fixture
def live(
    lives: Callable[[Callable[[Client], object]], Live], provider: StandInProvider, monkeypatch: pytest.MonkeyPatch
) -> Live:
    told = {"": provider.at, "_CLIENT": CLIENT, "_SECRET": SECRET, "_ROLES": "game-builds=engineer"}
    for name, value in told.items():
        monkeypatch.setenv(f"RAMPA_PROVIDER{name}", value)
    return lives(import_title)


def at_localhost(browser: Browser, live: Live, with_device: bool = True) -> Page:
    """Passkeys have a name for an address; a virtual device answers, and its person unlocks it."""
    page = browser.new_context(base_url=f"http://localhost:{live.port}", reduced_motion="reduce").new_page()
    if with_device:
        _give_device(page)
    page.goto("/account")
    return page


def _give_device(page: Page) -> None:
    debugger = page.context.new_cdp_session(page)
    debugger.send("WebAuthn.enable")
    device = {"protocol": "ctap2", "transport": "internal", "hasResidentKey": True, "hasUserVerification": True}
    options = {**device, "isUserVerified": True, "automaticPresenceSimulation": True}
    debugger.send("WebAuthn.addVirtualAuthenticator", {"options": options})


def _sign_in(page: Page, live: Live) -> None:
    page.get_by_label("Address").fill(OWNER)
    page.locator("input[type=password]").fill(live.owner_password)
    page.get_by_role("button", name="Sign in", exact=True).click()


def _minutes_go(live: Live) -> None:
    with psycopg.connect(live.url.replace("+psycopg", ""), autocommit=True) as connection:
        connection.execute("update web_session set confirmed_at = null")


def test_a_passkey_is_added_signs_in_confirms_and_is_removed(browser: Browser, live: Live) -> None:
    page = at_localhost(browser, live)
    _sign_in(page, live)
    page.get_by_label("Name").fill("This laptop")
    page.get_by_label("Your password").first.fill(live.owner_password)
    page.get_by_role("button", name="Add a passkey").click()
    expect(page.get_by_role("button", name="Remove This laptop")).to_be_visible()
    page.get_by_role("button", name="Iida ▾").click()
    page.get_by_role("menuitem", name="Sign out").click()
    # The password alone no longer signs in, and says what does.
    _sign_in(page, live)
    expect(page.get_by_role("alert")).to_contain_text("signs in with a passkey")
    page.get_by_role("button", name="Sign in with a passkey").click()
    expect(page.get_by_role("navigation", name="Pages")).to_be_attached()
    _minutes_go(live)
    page.goto("/account")
    page.get_by_role("button", name="Remove This laptop").click()
    dialog = page.get_by_role("dialog", name="This asks for your second factor")
    expect(dialog.get_by_label("Code")).to_have_count(0)
    dialog.get_by_role("button", name="Use a passkey").click()
    expect(page.get_by_role("button", name="Remove This laptop")).to_have_count(0)


def test_who_has_none_is_told_and_another_address_says_where(browser: Browser, live: Live) -> None:
    page = at_localhost(browser, live)
    page.get_by_role("button", name="Sign in with a passkey").click()
    expect(page.get_by_role("alert")).to_contain_text("No passkey answered")
    page.goto(f"{live.address}/account")
    expect(page.get_by_role("button", name="Sign in with a passkey")).to_have_count(0)
    _sign_in(page, live)
    expect(page.get_by_role("link", name=f"http://localhost:{live.port}")).to_be_visible()


def test_the_studio_s_own_sign_in(browser: Browser, live: Live, provider: StandInProvider) -> None:
    page = browser.new_context(base_url=f"http://localhost:{live.port}").new_page()
    page.goto(f"{live.address}/titles/peatlight/builds")
    page.get_by_role("button", name="Sign in with the studio's account").click()
    expect(page.get_by_role("alert")).to_contain_text(f"Open the console at http://localhost:{live.port}")
    page.goto("/titles/peatlight/builds")
    page.get_by_role("button", name="Sign in with the studio's account").click()
    # Back where it began, through another site, with the cookie of the new session.
    expect(page.get_by_role("navigation", name="Pages")).to_be_attached()
    assert page.url.endswith("/titles/peatlight/builds")
    page.get_by_role("button", name="Aino Virtanen ▾").click()
    page.get_by_role("menuitem", name="Your account").click()
    expect(page.get_by_text("aino@quillback.example, engineer of Quillback Works")).to_be_visible()
    page.reload()
    expect(page.get_by_text("by the studio's own sign-in")).to_be_visible()
    provider.person["groups"] = []
    other = browser.new_context(base_url=f"http://localhost:{live.port}").new_page()
    other.goto("/")
    other.get_by_role("button", name="Sign in with the studio's account").click()
    expect(other.get_by_role("alert")).to_contain_text("you are in no group that may use this studio")
    other.get_by_role("link", name="To the sign-in page").click()
    expect(other.get_by_role("button", name="Sign in", exact=True)).to_be_visible()
    other.goto("/signed-in?code=stolen&state=of-another-browser")
    expect(other.get_by_role("alert")).to_contain_text("was not begun in this browser")


def test_a_machine_is_let_in(browser: Browser, live: Live) -> None:
    with Client(live.address) as machine, ThreadPoolExecutor(1) as thread:
        request = ask_browser(machine.connection, "command line on kiln-2")
        assert request.verification_uri == f"http://localhost:{live.port}/allow"
        token = thread.submit(token_from_browser, machine.connection, request, lambda _: None)
        page = at_localhost(browser, live, with_device=False)
        page.goto("/allow")
        _sign_in(page, live)
        page.get_by_label("Code").fill(request.user_code.lower())
        page.get_by_role("button", name="Look at it").click()
        expect(page.get_by_text("command line on kiln-2")).to_be_visible()
        page.get_by_role("button", name="Let it in").click()
        expect(page.get_by_text("goes on by itself")).to_be_visible()
        with Client(live.address, token.result(timeout=60).secret) as signed_in:
            assert signed_in.people.session().person.email == OWNER
        page.goto(f"/allow?code={request.user_code}")
        expect(page.get_by_text("no machine waits with this code")).to_be_visible()
