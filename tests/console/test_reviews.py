"""The review desk in the console: put there by whoever made it, claimed, asked about and passed by a reviewer."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect

from rampa.client import Client
from rampa.schema.common import Role
from rampa.schema.people import NewPerson
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, complaints, signed_in
from tests.listings import send, write_listing
from tests.samples import add_key, build, import_title, make_folder

pytestmark = MARKS
PASSWORD = "a long enough password"


@pytest.fixture
def live_with_build(lives: Lives, tmp_path: Path) -> Live:
    def fill(client: Client) -> None:
        import_title(client)
        add_key(client)
        build(client, make_folder(tmp_path / "title", 200_000), tmp_path / "state")
        send(client, write_listing(tmp_path / "listing"))
        person = NewPerson(name="Rauni", email="rauni@quillback.example", role=Role.REVIEWER, password=PASSWORD)
        client.people.add(person)

    return lives(fill)


def test_from_the_maker_to_the_reviewer_and_back(browser: Browser, live_with_build: Live) -> None:
    page = signed_in(browser, live_with_build)
    page.goto("/titles/peatlight/builds/1")
    page.get_by_role("button", name="Put before reviewers …").click()
    page.get_by_role("menuitem", name="Of the studio …").click()
    page.get_by_label("What they should look at").fill("Look at the fog.")
    page.get_by_role("button", name="Put it before them").click()
    expect(page.get_by_role("heading", name="Peatlight 1.4.0 for Linux")).to_be_visible()
    expect(page.get_by_role("button", name="Claim it")).to_be_disabled()
    desk = signed_in_reviewer(browser, live_with_build)
    desk.goto("/")
    expect(desk.get_by_role("heading", name="Review desk")).to_be_visible()
    desk.get_by_role("link", name="Peatlight 1.4.0").click()
    desk.get_by_role("button", name="Claim it").click()
    expect(desk.get_by_text("you have it")).to_be_visible()
    desk.get_by_role("button", name="Refuse it").click()
    expect(desk.get_by_text("say it in words: the studio has nothing else to go by")).to_be_visible()
    desk.get_by_label("In words").fill("Is the <i>fog</i> meant?")
    desk.get_by_label("The place").fill("the first picture")
    desk.get_by_role("button", name="Ask", exact=True).click()
    page.reload()
    expect(page.get_by_text("Is the <i>fog</i> meant?")).to_be_visible()
    page.get_by_label("In words").fill("It is.")
    page.get_by_role("button", name="Answer").click()
    expect(page.get_by_role("heading", name="In line")).to_be_visible()
    desk.reload()
    desk.get_by_role("button", name="Claim it").click()
    desk.get_by_role("button", name="Pass it").click()
    expect(desk.get_by_role("heading", name="Passed")).to_be_visible()
    desk.goto("/reviews?view=over")
    expect(desk.get_by_text("Times to the first verdict")).to_be_visible()
    assert not complaints(desk, ["reviews", "reviews?view=over", "titles/peatlight/reviews/1"])
    desk.goto("/titles/peatlight/builds")
    expect(desk.get_by_role("heading", name="There is no such page")).to_be_visible()


def signed_in_reviewer(browser: Browser, live: Live):  # type: ignore[no-untyped-def]
    context = browser.new_context(
        base_url=live.address, viewport={"width": 1280, "height": 800}, reduced_motion="reduce"
    )
    page = context.new_page()
    page.goto("/")
    page.get_by_label("Address").fill("rauni@quillback.example")
    page.locator("input[type=password]").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Review desk")).to_be_visible()
    return page
