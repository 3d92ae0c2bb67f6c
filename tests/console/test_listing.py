"""A title's listing in the console: typed and counted, reviewed and saved, by two people; pictures, the rating, the preview."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from rampa.client import Client
from rampa.schema.common import Role
from rampa.schema.listings import ListingEditIn
from rampa.schema.people import NewPerson
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, complaints, signed_in
from tests.core.listing.samples import EN
from tests.listings import TITLE, picture, send, write_listing
from tests.samples import import_title
from tests.service.test_listings import EVERYWHERE
from tests.testing import PASSWORD

pytestmark = MARKS
LISTING = "titles/peatlight/listing"
OSKARI = "oskari@quillback.example"
HOSTILE = "<img src=x onerror=\"document.title='taken'\">"


@pytest.fixture
def listed(lives: Lives, tmp_path: Path) -> Live:
    """Saved once: the Finnish short text is missing, and a text is as hostile as it can be."""

    def fill(client: Client) -> None:
        import_title(client, EVERYWHERE)
        texts = {
            "texts/fi.toml": f'name = "Peatlight"\nlong = "Sumu. {HOSTILE.replace(chr(34), "&quot;")}"\n',
            "texts/en.toml": EN.replace("Fog lies", HOSTILE + " Fog lies"),
        }
        send(client, write_listing(tmp_path / "listing", texts))
        person = NewPerson(name="Oskari", email=OSKARI, role=Role.ENGINEER, password=PASSWORD)
        client.people.add(person)

    return lives(fill)


def kept(page: Page) -> None:
    expect(page.get_by_role("status").filter(has_text="Draft kept")).to_be_visible()


def test_typed_counted_reviewed_and_saved(browser: Browser, listed: Live) -> None:
    page = signed_in(browser, listed)
    page.goto(f"/{LISTING}")
    expect(page.get_by_role("row", name=re.compile("Mossgate.*warning fi"))).to_be_visible()
    page.get_by_role("link", name="texts/fi.toml: short").first.click()
    short = page.get_by_label("Short text", exact=True)
    short.fill("Yö suoradalla, " * 7)
    expect(page.get_by_text("Mossgate 104 of 96, 8 too many")).to_be_visible()
    expect(page.get_by_text("Northquay 104 of 130")).to_be_visible()
    kept(page)
    expect(page.get_by_text("The short text has 104")).to_be_visible()
    page.get_by_role("button", name="Say it otherwise on Mossgate").nth(1).click()
    page.get_by_label("Short text on Mossgate").fill("Yö suoradalla.")
    expect(page.get_by_text("Mossgate 14 of 96")).to_be_visible()
    page.get_by_role("button", name="Review").click()
    expect(page.get_by_text("storefronts.mossgate.short")).to_be_visible()
    expect(page.get_by_role("button", name="Save state 2")).to_be_disabled()
    page.get_by_label("Why it changes").fill("Finnish is whole.")
    page.get_by_role("button", name="Save state 2").click()
    expect(page.get_by_text("Finnish is whole.")).to_be_visible()
    page.goto(f"/{LISTING}/preview?storefront=mossgate&language=fi&form=tablet")
    front = page.get_by_role("article", name="Mossgate, simulated")
    expect(front).to_contain_text("Yö suoradalla.")
    expect(front.locator(".pictures img")).to_have_count(3)
    assert front.locator(".pictures img").first.evaluate("i => i.decode().then(() => i.naturalWidth)") == 2048


def test_nothing_that_somebody_wrote_is_run(browser: Browser, listed: Live) -> None:
    page = signed_in(browser, listed)
    for path in ("", "/edit?language=en", "/preview?language=en", "?view=history"):
        page.goto(f"/{LISTING}{path}")
        expect(page.locator("h1")).to_be_visible()
        assert page.locator("img[src=x]").count() == 0
    page.goto(f"/{LISTING}/preview?language=en")
    expect(page.get_by_text("<img src=x")).to_be_visible()
    assert page.title() != "taken"


def test_two_people_take_both_changes_together(browser: Browser, listed: Live) -> None:
    page = signed_in(browser, listed, email=OSKARI, password=PASSWORD)
    page.goto(f"/{LISTING}/edit?language=en")
    page.get_by_label("Name", exact=True).fill("Bog light")
    kept(page)
    with listed.client() as iida:
        edits = [("texts/en.toml", "name", "Peatlight at night"), ("texts/fi.toml", "name", "Suovalo")]
        iida.listings.edit(TITLE, 1, [ListingEditIn(file=f, path=[key], value=to) for f, key, to in edits])
        iida.listings.save(TITLE, "At night.")
    page.get_by_role("button", name="Review").click()
    expect(page.get_by_text("Iida saved state 2 meanwhile")).to_be_visible()
    expect(page.get_by_text("theirs: Peatlight at night")).to_be_visible()
    page.get_by_role("button", name="Take both together").click()
    page.get_by_label("Why it changes").fill("Both.")
    page.get_by_role("button", name="Save state 3").click()
    expect(page.get_by_text("What state 3 changed")).to_be_visible()
    with listed.client() as iida:
        said = {(v.file, *v.path): v.value for v in iida.listings.get(TITLE).values}
    assert (said["texts/en.toml", "name"], said["texts/fi.toml", "name"]) == ("Bog light", "Suovalo")


def test_pictures_come_and_go_and_the_rating_is_affirmed(browser: Browser, listed: Live, tmp_path: Path) -> None:
    page = signed_in(browser, listed)
    page.goto(f"/{LISTING}/edit?part=pictures")
    shelf = page.get_by_role("region", name="Pictures: Phone")
    expect(shelf.locator("figure")).to_have_count(3)
    file = tmp_path / "Signal Loft.png"
    file.write_bytes(picture(1080, 2160, "#604020"))
    shelf.locator("input[type=file]").set_input_files(file)
    expect(shelf.get_by_text("phone/4-signal-loft.png")).to_be_visible()
    shelf.get_by_role("button", name="Take out pictures/phone/1-fog.png").click()
    expect(shelf.locator("figure")).to_have_count(3)
    bad = tmp_path / "note.png"
    bad.write_bytes(b"no picture")
    shelf.locator("input[type=file]").set_input_files(bad)
    expect(shelf.get_by_role("alert")).to_contain_text("this is no picture")
    page.get_by_role("tab", name="Age rating").click()
    page.get_by_role("radiogroup", name="Is it made to frighten?").get_by_text("It is dark or eerie in places").click()
    kept(page)
    page.get_by_role("button", name="Throw away").click()
    page.get_by_role("dialog").get_by_role("button", name="Throw it away").click()
    page.get_by_role("tab", name="Age rating").click()
    expect(page.get_by_text("Nobody has affirmed the answers yet.")).to_be_visible()
    page.get_by_label("Your name, as a signature").fill("Oskari")
    page.get_by_role("button", name="Affirm the answers").click()
    expect(page.get_by_text("sign with your own name: Iida")).to_be_visible()
    page.get_by_label("Your name, as a signature").fill("Iida")
    page.get_by_role("button", name="Affirm the answers").click()
    expect(page.get_by_text(re.compile("Iida affirmed the answers"))).to_be_visible()


def test_every_page_of_it_can_be_read_by_all(browser: Browser, listed: Live) -> None:
    with listed.client() as client:
        client.listings.edit(TITLE, 1, [ListingEditIn(file="texts/en.toml", path=["name"], value="Bog light")])
    views = ["", "?view=rating", "?view=links", "?view=history"]
    parts = [f"/edit?part={part}" for part in ("texts", "facts", "pictures", "rating")]
    fronts = [f"/preview?storefront={name}&draft=true" for name in ("northquay", "mossgate")]
    pages = [LISTING + path for path in (*views, *parts, *fronts)]
    assert not complaints(signed_in(browser, listed), [*pages, "titles/peatlight/listing/review"])
