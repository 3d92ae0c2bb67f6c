"""Rollouts and releases in the console: placed for a part, grown, held, rolled back; a release placed as a whole."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect

from rampa.client import Client
from rampa.schema.releases import NewRelease
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, complaints, signed_in
from tests.samples import add_key, build, change_folder, import_title, make_folder

pytestmark = MARKS
AT = "/titles/peatlight"
PAGES = [
    "titles/peatlight/channels/studio/roll-back",
    "titles/peatlight/channels/studio/rollouts/1",
    "titles/peatlight/releases",
    "titles/peatlight/releases/make",
    "titles/peatlight/releases/1",
    "titles/peatlight/releases/1/place/testers",
]


@pytest.fixture
def filled(lives: Lives, tmp_path: Path) -> Live:
    """#1 is live on studio; #2 for Linux and #3 for Windows, 1.5.0, could follow. Release 1 is of #2 alone."""

    def fill(client: Client) -> None:
        add_key(client)
        import_title(client)
        source = make_folder(tmp_path / "source", 200_000)
        build(client, source, tmp_path / "state")
        client.channels.place("peatlight", "studio", 1, client.channels.preview("peatlight", "studio", 1).etag)
        change_folder(source)
        for profile in ("linux-release", "windows-release"):
            build(client, source, tmp_path / "state", profile, version_name="1.5.0")
        client.releases.make("peatlight", NewRelease(builds=[2]))

    return lives(fill)


def test_from_a_part_of_the_devices_to_all_and_back(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.goto(f"{AT}/channels/studio/place/2")
    dialogue = page.get_by_role("dialog")
    dialogue.get_by_text("A part of them").click()
    dialogue.get_by_label("Share at first").fill("10")
    dialogue.get_by_role("button", name="Place on studio").click()
    expect(dialogue).to_have_count(0)
    row = page.get_by_role("row", name=re.compile("#2.*growing, 10 %.*Withdraw"))
    expect(page.get_by_role("row", name=re.compile("#1.*every other device.*Withdraw"))).to_be_visible()
    row.get_by_role("link", name="Rollout").click()
    expect(page.get_by_role("heading", name="#2 on studio")).to_be_visible()
    page.get_by_label("Hold it because").fill("It stutters at Kiln Yard")
    page.get_by_role("button", name="Hold", exact=True).click()
    expect(page.get_by_text("Held because: It stutters at Kiln Yard")).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("^Grow to"))).to_be_disabled()
    page.get_by_role("button", name="Go on").click()
    page.get_by_label("Plan", exact=True).fill("20 %")
    page.get_by_role("button", name="Follow it").click()
    expect(page.get_by_role("alert")).to_contain_text("never ends")
    page.get_by_label("Plan", exact=True).fill("20 %, all after 3 h")
    page.get_by_role("button", name="Follow it").click()
    expect(page.get_by_text(re.compile("Next: 100 % in (2 h 59|3 h)"))).to_be_visible()
    page.get_by_label("Grow it from 20 % to").fill("100")
    page.get_by_role("button", name="Grow to 100 %").click()
    expect(page.locator(".headline")).to_contain_text("every device")
    page.get_by_role("link", name="Roll back …").click()
    dialogue = page.get_by_role("dialog")
    dialogue.get_by_placeholder("One that was placed here before").click()
    page.get_by_role("option", name=re.compile("#1 1.4.0")).click()
    expect(dialogue).to_contain_text("in place of #2 (1.5.0)")
    dialogue.get_by_role("button", name="Roll back to #1").click()
    expect(dialogue).to_have_count(0)
    with filled.client() as client:
        live = client.channels.get("peatlight", "studio").live
    assert [(p.build.number, p.back) for p in live] == [(1, True)]


def test_a_release_waits_for_a_line_and_goes_as_a_whole(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.get_by_role("link", name="Releases").click()
    page.get_by_role("link", name="1", exact=True).click()
    expect(page.get_by_role("row", name=re.compile("lags.*Windows.*its newest build is peatlight#3"))).to_be_visible()
    page.goto(f"{AT}/releases/1/place/testers")
    expect(page.get_by_role("dialog")).to_contain_text("Windows: its newest build is peatlight#3, 1.5.0")
    expect(page.get_by_role("button", name="Blocked")).to_be_disabled()
    page.get_by_role("button", name="Do not place").click()
    page.get_by_role("button", name="Leave it out …").click()
    page.get_by_label("Why").fill("Its driver is ill")
    page.get_by_role("button", name="Leave it out", exact=True).click()
    expect(page.get_by_role("row", name=re.compile("left out.*Its driver is ill"))).to_be_visible()
    page.get_by_role("button", name="Write notes").click()
    page.get_by_label("Text").fill("The fog lifts at Alder Halt.")
    page.get_by_role("button", name="Save notes").click()
    expect(page.get_by_text("For players, en")).to_be_visible()
    page.goto(f"{AT}/releases/1/place/testers")
    page.get_by_role("button", name="Show details of #2").click()
    expect(page.get_by_role("dialog")).to_contain_text("Fresh install")
    page.get_by_role("button", name="Place on testers").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(page.get_by_text("Live on testers.")).to_be_visible()


def test_a_release_is_made_of_chosen_builds(browser: Browser, filled: Live) -> None:
    page = signed_in(browser, filled)
    page.goto(f"{AT}/releases/make")
    page.get_by_placeholder("Choose builds").click()
    for name in ("#3 1.5.0, windows-release", "#1 1.4.0, linux-release"):
        page.get_by_role("option", name=name).click()
    page.keyboard.press("Tab")
    page.get_by_role("dialog").get_by_role("button", name="Make a release").click()
    expect(page.get_by_role("alert")).to_contain_text("a release has one version")
    page.get_by_role("dialog").locator("input:visible").first.click()
    page.get_by_role("option", name="#1 1.4.0, linux-release").click()
    page.get_by_role("option", name="#2 1.5.0, linux-release").click()
    page.keyboard.press("Tab")
    page.get_by_role("dialog").get_by_role("button", name="Make a release").click()
    expect(page.get_by_role("heading", name="1.5.0, release 2 of Peatlight")).to_be_visible()


def test_axe_finds_nothing_and_nothing_scrolls_sideways(browser: Browser, filled: Live) -> None:
    wrong = complaints(signed_in(browser, filled), PAGES)
    assert not wrong, "\n".join(wrong)
