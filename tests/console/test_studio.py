"""The studio in the console: who it is, its documents, handed in and verified by another; roles of people at one title."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Browser, expect

from rampa.client import Client
from rampa.schema.common import Role
from rampa.schema.people import NewPerson
from rampa.schema.studio import VerdictIn
from tests.conftest import Lives
from tests.console.driving import MARKS, complaints, signed_in
from tests.console.test_reviews import PASSWORD, signed_in_reviewer
from tests.samples import import_title
from tests.service.test_studio import PAPER

pytestmark = MARKS


def test_from_nobody_knows_it_to_verified(browser: Browser, lives: Lives, tmp_path: Path) -> None:
    def fill(client: Client) -> None:
        client.studio.decide(VerdictIn(verdict="end"))
        person = NewPerson(name="Rauni", email="rauni@quillback.example", role=Role.REVIEWER, password=PASSWORD)
        client.people.add(person)

    live = lives(fill)
    paper = tmp_path / "extract.pdf"
    paper.write_bytes(PAPER)
    page = signed_in(browser, live)
    page.goto("/")
    page.get_by_role("link", name="Quillback Works · not verified").click()
    expect(page.get_by_text("no build can go to everybody")).to_be_visible()
    expect(page.get_by_role("button", name="Hand it in")).to_be_disabled()
    page.get_by_label("Name by law").fill("Quillback Works Oy")
    page.get_by_label("Address", exact=True).fill("Alder Halt 1\n00100 Bog")
    page.get_by_label("Mail address").fill("office@quillback.example")
    page.get_by_role("button", name="Save", exact=True).click()
    with page.expect_file_chooser() as chosen:
        page.get_by_role("button", name="Add: an extract from the register of companies").click()
    chosen.value.set_files(str(paper))
    expect(page.get_by_text("extract.pdf")).to_be_visible()
    page.get_by_role("button", name="Hand it in").click()
    expect(page.get_by_text("0 days; said to take 1 day")).to_be_visible()
    desk = signed_in_reviewer(browser, live)
    desk.goto("/studio")
    with desk.expect_download() as saved:
        desk.get_by_role("link", name="Save extract.pdf").click()
    assert saved.value.path().read_bytes() == PAPER
    expect(desk.get_by_role("button", name="Refuse")).to_be_disabled()
    desk.get_by_label("What you say").fill("Welcome.")
    desk.get_by_role("button", name="Verify").click()
    expect(desk.get_by_text("Welcome.")).to_be_visible()
    page.reload()
    expect(page.get_by_role("link", name="Quillback Works · verified")).to_be_visible()
    assert not complaints(page, ["studio"])


def test_a_role_at_one_title(browser: Browser, lives: Lives) -> None:
    def fill(client: Client) -> None:
        import_title(client)
        person = NewPerson(name="Oskari", email="oskari@quillback.example", role=Role.VIEWER, password=PASSWORD)
        client.people.add(person)

    live = lives(fill)
    page = signed_in(browser, live)
    page.goto("/people")
    page.get_by_role("combobox", name="Where").click()
    page.get_by_role("option", name="At Peatlight").click()
    page.get_by_role("combobox", name="What Oskari is here").click()
    page.get_by_role("option", name="engineer here").click()
    expect(page.get_by_text("Iida, just now")).to_be_visible()
    page.reload()
    expect(page.get_by_role("combobox", name="What Oskari is here")).to_have_value("engineer here")
    assert not complaints(page, ["people?title=peatlight"])
    page.get_by_role("combobox", name="What Oskari is here").click()
    page.get_by_role("option", name="as in the studio").click()
    expect(page.get_by_text("Iida, just now")).to_be_hidden()
