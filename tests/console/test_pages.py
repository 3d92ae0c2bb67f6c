"""The console in headless Chromium: signing in, the ramp, a build, placing; by keyboard; and axe-core finds nothing."""

from __future__ import annotations

import re
import time
from pathlib import Path

import psycopg
import pyotp
import pytest
from playwright.sync_api import Browser, expect

from rampa.client import Client
from tests.conftest import OWNER, Live, Lives
from tests.console.driving import MARKS, complaints, settled, signed_in
from tests.samples import add_key, build, change_folder, import_title, make_folder

pytestmark = MARKS
PAGES = [
    "",
    "titles/peatlight",
    "titles/peatlight/builds",
    "titles/peatlight/builds/2",
    "titles/peatlight/builds/2?tab=left-out",
    "titles/peatlight/channels",
    "titles/peatlight/channels/studio",
    "titles/peatlight/channels/public",
    "titles/peatlight/channels/studio/place/2",
    "titles/peatlight/channels/studio/place/3",
    "titles/peatlight/devices",
    "keys",
    "keys/quillback-2026",
    "titles/peatlight/versions",
    "titles/peatlight/grants",
    "people",
    "account",
    "invitation",
    "events",
    "nowhere",
]


@pytest.fixture
def filled(lives: Lives, tmp_path: Path) -> Live:
    """Build 1 is live on studio, build 2 could follow, build 3 is not signed."""

    def fill(client: Client) -> None:
        add_key(client)
        import_title(client)
        source = make_folder(tmp_path / "source", 300_000)
        build(client, source, tmp_path / "state", notes="first night")
        client.channels.place("peatlight", "studio", 1, client.channels.preview("peatlight", "studio", 1).etag)
        change_folder(source)
        build(client, source, tmp_path / "state")
        build(client, source, tmp_path / "state", profile="linux-unsigned")

    return lives(fill)


def test_a_wrong_password_is_said_where_it_happened(browser: Browser, live: Live) -> None:
    page = browser.new_page(base_url=live.address)
    page.goto("/")
    page.get_by_label("Address").fill(OWNER)
    page.locator("input[type=password]").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("the address or the password is wrong")


def test_from_the_ramp_to_a_placed_build(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    expect(page.get_by_role("heading", name="Peatlight")).to_be_visible()
    ramp = page.get_by_label("The ramp")
    expect(ramp).to_contain_text("the bundle is not signed")
    ramp.get_by_role("link", name="Place #2 here").click()
    dialogue = page.get_by_role("dialog")
    expect(dialogue).to_contain_text("replaces #1")
    expect(dialogue).to_contain_text("data/bog.arc")
    expect(dialogue).to_contain_text(re.compile(r"Update from #1.*download"))
    assert page.url.endswith("/titles/peatlight/channels/studio/place/2")
    dialogue.get_by_role("button", name="Place on studio").click()
    expect(dialogue).to_have_count(0)
    expect(page.get_by_role("row", name=re.compile("Linux.*#2.*1.4.0.*Withdraw"))).to_be_visible()
    with filled.client() as client:
        assert client.channels.offer("peatlight", "studio", "linux").builds[0].build == 2


def test_a_blocked_build_cannot_be_placed(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.goto("/titles/peatlight/channels/studio/place/3")
    expect(page.get_by_role("dialog")).to_contain_text("1 blocker: it cannot be placed as it is")
    expect(page.get_by_role("button", name="Blocked")).to_be_disabled()


def test_what_moved_on_is_said_and_can_be_looked_at_again(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.goto("/titles/peatlight/channels/studio/place/2")
    expect(page.get_by_role("button", name="Place on studio")).to_be_enabled()
    with filled.client() as client:
        client.rollouts.withdraw("peatlight", "studio", 1)
    page.get_by_role("button", name="Place on studio").click()
    expect(page.get_by_role("alert")).to_contain_text("changed meanwhile")
    page.get_by_role("button", name="Try again").click()
    page.get_by_role("button", name="Place on studio").click()
    expect(page.get_by_role("dialog")).to_have_count(0)


def test_the_keyboard_walks_the_ramp(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.locator("[data-marker]").first.focus()
    seen = []
    for key in ("ArrowRight", "ArrowDown", "ArrowUp", "ArrowLeft"):
        seen.append(page.evaluate("document.activeElement.textContent"))
        page.keyboard.press(key)
    assert len(set(seen)) >= 3
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text("peatlight#")


def test_the_files_of_a_build_as_a_tree(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.goto("/titles/peatlight/builds/2")
    tree = page.get_by_role("tree", name="Files")
    expect(tree).not_to_contain_text("bog.arc")
    tree.get_by_role("button", name="data/").click()
    expect(tree).to_contain_text("bog.arc")
    page.get_by_label("Find files").fill("suomi")
    expect(tree.get_by_role("treeitem")).to_have_count(1)
    page.get_by_role("tab", name=re.compile("Left out")).click()
    expect(page.get_by_role("row", name="bin/peatlight.sym symbols")).to_be_visible()
    assert "tab=left-out" in page.url


def test_notes_are_edited_in_place(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.goto("/titles/peatlight/builds/1")
    page.get_by_role("button", name="Edit notes").click()
    page.get_by_label("Notes", exact=True).fill("fog at Marrow Bend")
    page.get_by_role("button", name="Save notes").click()
    expect(page.get_by_text("fog at Marrow Bend")).to_be_visible()


def test_an_empty_title_says_what_to_do_first(browser: Browser, live: Live) -> None:
    with live.client() as client:
        import_title(client)
    page = signed_in(browser, live)
    expect(page.get_by_text("No build has set out yet")).to_be_visible()
    expect(page.get_by_text("bin/rampa build create --profile linux-release")).to_be_visible()


def test_a_service_that_is_gone_is_said(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    settled(page)
    filled.kill()
    page.get_by_role("link", name="Devices").click()
    expect(page.get_by_role("alert").first).to_contain_text("The service does not answer")
    filled.start()
    page.get_by_role("button", name="Try again").first.click()
    expect(page.get_by_text("No device is registered")).to_be_visible(timeout=10_000)


def test_axe_finds_nothing_and_nothing_scrolls_sideways(browser: Browser, filled: Live) -> None:
    wrong = complaints(signed_in(browser, filled), PAGES)
    assert not wrong, "\n".join(wrong)


def test_a_second_factor_is_added_asked_for_and_removed(browser: Browser, live: Live) -> None:
    page = signed_in(browser, live)
    page.get_by_role("button", name="Iida ▾").click()
    page.get_by_role("menuitem", name="Your account").click()
    page.get_by_label("Your password").fill(live.owner_password)
    page.get_by_role("button", name="Add codes").click()
    expect(page.get_by_role("img", name="The secret as a QR code")).to_be_visible()
    secret = page.locator("code").last.inner_text()
    # The one before is taken, too: the one that is shown now is left for the next step.
    page.get_by_label("The code that it shows now").fill(pyotp.TOTP(secret).at(time.time() - 30))
    page.get_by_role("button", name="Have it count").click()
    expect(page.get_by_text("Keep these spare codes apart")).to_be_visible()
    spare = page.locator("ul.mono li").all_inner_texts()
    assert len(spare) == 8
    page.get_by_role("button", name="I have kept them").click()
    expect(page.get_by_text("Signing in with your password asks for a code")).to_be_visible()
    # Another browser: the password alone is not enough, and says so only to who knows it.
    other = browser.new_context(base_url=live.address).new_page()
    other.goto("/")
    other.get_by_label("Address").fill(OWNER)
    other.locator("input[type=password]").fill(live.owner_password)
    other.get_by_role("button", name="Sign in").click()
    other.get_by_label("Code of your second factor").fill("000000")
    other.get_by_role("button", name="Sign in").click()
    expect(other.get_by_role("alert")).to_contain_text("this code is wrong, or was used")
    other.get_by_label("Code of your second factor").fill(spare[0])
    other.get_by_role("button", name="Sign in").click()
    expect(other.get_by_role("navigation", name="Pages")).to_be_attached()
    _minutes_go(live)
    page.get_by_role("button", name="Remove them …").click()
    dialog = page.get_by_role("dialog", name="This asks for your second factor")
    dialog.get_by_label("Code").fill("111111")
    dialog.get_by_role("button", name="Go on").click()
    expect(dialog.get_by_role("alert")).to_contain_text("this code is wrong")
    dialog.get_by_label("Code").fill(spare[1])
    dialog.get_by_role("button", name="Go on").click()
    expect(page.get_by_role("button", name="Add codes")).to_be_visible()


def _minutes_go(live: Live) -> None:
    with psycopg.connect(live.url.replace("+psycopg", ""), autocommit=True) as connection:
        connection.execute("update web_session set confirmed_at = null")


def test_a_person_is_invited_chooses_a_password_and_is_disabled(browser: Browser, live: Live) -> None:
    page = signed_in(browser, live)
    page.goto("/people")
    page.get_by_role("button", name="Invite a person …").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name").fill("Vendla")
    dialog.get_by_label("Address").fill("vendla@quillback.example")
    dialog.get_by_role("button", name="Make the code").click()
    code = page.locator("code.mono").first.inner_text()
    other = browser.new_context(base_url=live.address).new_page()
    other.goto("/invitation")
    other.get_by_label("Address").fill("vendla@quillback.example")
    other.get_by_label("Code").fill("AAAA-AAAA")
    other.get_by_label("New password").fill("a long enough password")
    other.get_by_role("button", name="Choose it and sign in").click()
    expect(other.get_by_role("alert")).to_contain_text("the address or the code is wrong")
    other.get_by_label("Code").fill(code)
    other.get_by_role("button", name="Choose it and sign in").click()
    expect(other.get_by_role("navigation", name="Pages")).to_be_attached()
    page.goto("/people")
    page.get_by_role("row", name=re.compile("Vendla")).get_by_role("button", name="Change …").click()
    page.get_by_role("dialog").get_by_role("button", name="Disable").click()
    expect(page.get_by_role("row", name=re.compile("Vendla"))).to_contain_text("disabled")
    other.reload()
    expect(other.get_by_role("button", name="Sign in")).to_be_visible()


def test_a_channel_is_added_moved_renamed_and_removed(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.get_by_role("link", name="Channels").click()
    page.get_by_role("button", name="Add a channel …").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name").fill("press")
    dialog.get_by_role("button", name="Add it").click()
    order = page.locator("main table a")
    expect(order).to_have_text(["studio", "testers", "early", "public", "press"])
    page.get_by_role("button", name="Move press up").click()
    expect(order).to_have_text(["studio", "testers", "early", "press", "public"])
    page.get_by_role("button", name="Change press").click()
    dialog.get_by_label("Name").fill("critics")
    dialog.get_by_role("button", name="Change it").click()
    expect(page.get_by_text("was press")).to_be_visible()
    page.get_by_role("button", name="Change studio").click()
    dialog.get_by_role("button", name="Remove it").click()
    expect(dialog.get_by_role("alert")).to_contain_text("studio cannot be removed")
    dialog.get_by_role("button", name="Close").or_(page.locator(".mantine-Modal-close")).first.click()
    page.get_by_role("button", name="Change critics").click()
    dialog.get_by_role("button", name="Remove it").click()
    expect(order).to_have_text(["studio", "testers", "early", "public"])


def test_a_gate_closes_a_channel_and_is_waived(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.goto("/titles/peatlight/channels/early")
    page.get_by_role("button", name="Set gates …").click()
    dialog = page.get_by_role("dialog", name="Gates of early")
    dialog.get_by_label("Was live before on").click()
    page.get_by_role("option", name="studio").click()
    dialog.get_by_label("For hours").fill("0")
    dialog.get_by_label("Other people who approve it").fill("1")
    dialog.get_by_role("button", name="Set them").click()
    expect(page.get_by_text("approved by 1 other person")).to_be_visible()
    page.goto("/titles/peatlight/channels/early/place/1")
    placing = page.get_by_role("dialog", name="Place #1 on early")
    expect(placing.get_by_text("A gate is closed:")).to_be_visible()
    expect(placing.get_by_role("button", name="Blocked")).to_be_disabled()
    placing.get_by_role("button", name="Approve").click()
    # One's own word does not count for oneself.
    expect(placing.get_by_text("0 of 1, and nobody else may.")).to_be_visible()
    placing.get_by_role("button", name="Waive approvals").click()
    waiving = page.get_by_role("dialog", name="Waive a gate for #1")
    waiving.get_by_label("Reason").fill("Nobody else is here tonight.")
    waiving.get_by_role("button", name="Waive it").click()
    expect(placing.get_by_text("◇ waived")).to_be_visible()
    placing.get_by_role("button", name="Place on early").click()
    expect(page.get_by_text("Iida waived approvals: Nobody else is here tonight.")).to_be_visible()
