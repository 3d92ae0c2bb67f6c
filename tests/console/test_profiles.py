"""Profiles in the console: the matrix by keyboard, findings and fixes, a draft in form and text, two people, pictures."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from demo.peatlight.content import icon
from demo.peatlight.documents import EVERYWHERE, FIRST, hurried
from playwright.sync_api import Browser, Page, expect

from rampa.client import Client
from rampa.client.people.sign_in import token_for
from rampa.schema.common import Role
from rampa.schema.people import NewPerson
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, complaints, settled, signed_in
from tests.samples import add_key

pytestmark = MARKS
PAGES = [
    "titles/peatlight/profiles",
    "titles/peatlight/profiles?show=all",
    "titles/peatlight/profiles?revision=2&show=findings",
    "titles/peatlight/profiles/visor-release",
    "titles/peatlight/profiles/visor-release?revision=2",
    "titles/peatlight/check",
    "titles/peatlight/check?revision=2",
    "titles/peatlight/compare",
    "titles/peatlight/compare?left=linux-release&right=android-release%402",
    "titles/peatlight/document",
    "titles/peatlight/document?revision=2&view=change",
    "titles/peatlight/document/edit?layer=profile visor-release&group=content",
    "titles/peatlight/document/edit?view=text",
    "titles/peatlight/document/review",
    "titles/peatlight/pictures",
    "propose",
]
OTHER, SECRET = "oskari@quillback.example", "a long enough password"


@pytest.fixture
def revised(lives: Lives) -> Live:
    """Three revisions, the second with mistakes; a second engineer."""

    def fill(client: Client) -> None:
        add_key(client)
        client.titles.add(FIRST, "The first.")
        client.titles.revise("peatlight", hurried(), "In a hurry.", 1)
        client.titles.revise("peatlight", EVERYWHERE, "Fixed.", 2)
        client.people.add(NewPerson(name="Oskari", email=OTHER, role=Role.ENGINEER, password=SECRET))

    return lives(fill)


def the_other(live: Live) -> Client:
    _, token = token_for(live.address, OTHER, SECRET, "test")
    return Client(live.address, token.secret)


def go(page: Page, path: str) -> None:
    page.goto(f"/titles/peatlight/{path}")
    settled(page)


def test_the_keyboard_walks_the_matrix(browser: Browser, revised: Live) -> None:
    page = signed_in(browser, revised)
    go(page, "profiles")
    page.locator('[data-at="0 0"]').focus()
    detail = page.get_by_label("The chosen cell")
    expect(detail).to_contain_text("Platform of linux-release")
    for key in ("ArrowDown", "ArrowDown", "ArrowDown", "End", "ArrowLeft"):
        page.keyboard.press(key)
    expect(detail).to_contain_text("Identifier of android-testing")
    expect(detail).to_contain_text("example.quillback.peatlight.testing")
    expect(page.locator("[aria-selected=true]")).to_contain_text("◆")
    detail.get_by_role("link", name=re.compile("line 145")).click()
    expect(page.get_by_label("The document's text")).to_contain_text("example.quillback.peatlight.testing")


def test_the_matrix_is_filtered_and_the_filter_is_in_the_address(browser: Browser, revised: Live) -> None:
    page = signed_in(browser, revised)
    go(page, "profiles")
    expect(page.get_by_role("rowheader", name="Studio")).to_have_count(0)
    page.get_by_text("All settings").click()
    expect(page.get_by_role("rowheader", name="Studio")).to_have_count(1)
    page.get_by_label("Search settings").fill("graphics")
    expect(page.get_by_role("rowheader", name="Studio")).to_have_count(0)
    assert "show=all" in page.url
    assert "word=graphics" in page.url


def test_profiles_and_revisions_are_compared(browser: Browser, revised: Live) -> None:
    page = signed_in(browser, revised)
    go(page, "compare?left=visor-release%402&right=visor-release")
    expect(page.get_by_role("row", name=re.compile("Minimum level 42 44"))).to_be_visible()
    go(page, "compare?left=linux-release&right=linux-release")
    expect(page.get_by_text("say the same")).to_be_visible()


def test_a_form_knows_the_rules_and_its_change_becomes_a_revision(browser: Browser, revised: Live) -> None:
    page = signed_in(browser, revised)
    go(page, "document/edit?layer=profile visor-release&group=system")
    page.get_by_label("Minimum level", exact=True).fill("43")
    field = page.locator('[id="field system.minimum"]')
    expect(field).to_contain_text("the storefront sells no headset with an older system")
    field.get_by_role("button", name='set system.minimum = "44"').click()
    expect(field).not_to_contain_text("blocker")
    page.get_by_label("Minimum level", exact=True).fill("45")
    page.get_by_role("button", name="Review").click()
    expect(page.get_by_role("row", name="Minimum level 44 45")).to_be_visible()
    page.reload()
    expect(page.get_by_role("row", name="Minimum level 44 45")).to_be_visible()
    confirm = page.get_by_role("button", name="Make revision 4")
    expect(confirm).to_be_disabled()
    page.get_by_label("Why it changes").fill("Newer headsets only.")
    confirm.click()
    expect(page.get_by_role("list", name="Revisions")).to_contain_text("Newer headsets only.")
    with revised.client() as client:
        text = client.titles.revision("peatlight", 4).document
        assert text == EVERYWHERE.replace('output.kind = "zip"\n', 'output.kind = "zip"\nsystem.minimum = "45"\n')
        assert client.titles.drafts("peatlight").draft is None


def test_a_wrong_text_is_told_with_its_lines_and_kept(browser: Browser, revised: Live) -> None:
    page = signed_in(browser, revised)
    go(page, "document/edit?view=text")
    editor = page.get_by_label("The draft's text")
    editor.click()
    page.keyboard.press("Control+Home")
    page.keyboard.type("nonsense = 3\n")
    expect(page.get_by_text("this key is not known")).to_be_visible()
    expect(page.get_by_role("tab", name="Form")).to_be_disabled()
    page.get_by_role("button", name="Review").click()
    expect(page.get_by_role("button", name="Make revision 4")).to_be_disabled()
    expect(page.get_by_text("it is no document yet")).to_be_visible()
    page.get_by_role("link", name="Go on editing").click()
    page.get_by_role("button", name="Throw the draft away").click()
    expect(page.get_by_role("dialog")).to_contain_text("1 line of it is not in the newest revision")
    page.get_by_role("button", name="Throw it away").click()
    expect(page.get_by_role("link", name="Edit", exact=True)).to_be_visible()


def test_findings_are_fixed_in_a_draft(browser: Browser, revised: Live) -> None:
    with revised.client() as client:
        client.titles.revise("peatlight", hurried(), "Again.", 3)
    page = signed_in(browser, revised)
    go(page, "check")
    expect(page.get_by_text("android-release, android-testing, ios-release: Touch controls: no")).to_be_visible()
    page.get_by_role("button", name=re.compile("Fix all")).click()
    expect(page.get_by_role("heading", name="Review the draft")).to_be_visible()
    expect(page.locator("section").filter(has_text="Findings that it removes")).to_contain_text("Touch controls: no")
    page.get_by_label("Why it changes").fill("What the checks found.")
    page.get_by_role("button", name="Make revision 5").click()
    expect(page.get_by_role("list", name="Revisions")).to_contain_text("What the checks found.")
    go(page, "check")
    expect(page.get_by_text("0 blockers")).to_be_visible()


def test_the_second_of_two_people_sees_both_and_loses_nothing(browser: Browser, revised: Live) -> None:
    page = signed_in(browser, revised)
    with the_other(revised) as other:
        other.titles.save_draft("peatlight", EVERYWHERE.replace("1.5.0", "1.6.0"), 3, 0)
        go(page, "document/edit?layer=facet handheld&group=display")
        expect(page.get_by_role("note")).to_contain_text("Oskari has a draft too, from revision 3")
        page.get_by_role("radiogroup", name="Streamed to handhelds").get_by_text("Yes").click()
        expect(page.get_by_role("status")).to_contain_text("Draft kept")
        other.titles.revise("peatlight", EVERYWHERE.replace("1.5.0", "1.6.0"), "The next version.", 3)
    expect(page.get_by_role("alert")).to_contain_text("Revision 4 was made meanwhile")
    page.get_by_role("button", name="Review").click()
    expect(page.get_by_text("Revision 4 was made meanwhile by Oskari")).to_be_visible()
    expect(page.get_by_role("button", name="Make revision 5")).to_be_disabled()
    page.get_by_role("button", name="Take both changes together").click()
    expect(page.get_by_text("made meanwhile")).to_have_count(0)
    page.get_by_label("Why it changes").fill("Streamed.")
    page.get_by_role("button", name="Make revision 5").click()
    expect(page.get_by_role("list", name="Revisions")).to_contain_text("Streamed.")
    with revised.client() as client:
        text = client.titles.revision("peatlight", 5).document
    assert 'name = "1.6.0"' in text
    assert "display.streamed = true" in text


def test_going_back_is_reviewed_like_any_change(browser: Browser, revised: Live) -> None:
    page = signed_in(browser, revised)
    go(page, "document?revision=1")
    page.get_by_role("button", name="Go back to it").click()
    expect(page.get_by_role("heading", name="Review the draft")).to_be_visible()
    page.get_by_label("Why it changes").fill("Desktops only, for now.")
    page.get_by_role("button", name="Make revision 4").click()
    expect(page.get_by_role("list", name="Revisions")).to_contain_text("Desktops only, for now.")
    with revised.client() as client:
        assert client.titles.revision("peatlight", 4).document == FIRST


def test_a_document_that_a_repository_owns_is_edited_to_be_downloaded(browser: Browser, revised: Live) -> None:
    with revised.client() as client:
        client.titles.set_owner("peatlight", "https://git.quillback.example/peatlight.git", "build/rampa.toml")
    page = signed_in(browser, revised)
    go(page, "document")
    expect(page.get_by_role("note")).to_contain_text(
        "lives in https://git.quillback.example/peatlight.git at build/rampa.toml"
    )
    page.get_by_role("link", name="Edit a copy").click()
    page.get_by_role("button", name="Download the text").wait_for()
    with page.expect_download() as got:
        page.get_by_role("button", name="Download the text").click()
    assert Path(got.value.path()).read_text() == EVERYWHERE


def test_picture_sets_are_seen_at_real_size(browser: Browser, revised: Live, tmp_path: Path) -> None:
    icon().save(tmp_path / "icon.png")
    (tmp_path / "no.png").write_text("fog")
    page = signed_in(browser, revised)
    go(page, "pictures")
    page.locator("input[type=file]").set_input_files(tmp_path / "icon.png")
    dark = page.get_by_role("group", name="On dark").first
    assert dark.get_by_role("img", name="icon-64.png, 64 px").evaluate("i => [i.naturalWidth, i.width]") == [64, 64]
    expect(page.get_by_text("iOS allows no transparency")).to_be_visible()
    with page.expect_download() as got:
        page.get_by_role("button", name="Download all sets").click()
    assert Path(got.value.path()).read_bytes()[:2] == b"PK"
    page.locator("input[type=file]").set_input_files(tmp_path / "no.png")
    expect(page.get_by_role("alert")).to_contain_text("this is no picture")


def test_a_title_begins_with_a_folder(browser: Browser, revised: Live, tmp_path: Path) -> None:
    (tmp_path / "bog/bin").mkdir(parents=True)
    (tmp_path / "bog/bin/bog").write_text("#!/bin/sh\necho bog\n")
    page = signed_in(browser, revised)
    page.goto("/propose")
    page.get_by_label("Folder").set_input_files(tmp_path / "bog")
    expect(page.get_by_label("The proposed text")).to_contain_text("example.quillback.bog")
    page.get_by_role("button", name="Make the title").click()
    expect(page.get_by_role("heading", name="Findings in the profiles of Bog")).to_be_visible()


def test_a_document_is_imported_from_a_file_and_into_a_draft(browser: Browser, revised: Live, tmp_path: Path) -> None:
    (tmp_path / "rampa.toml").write_text(FIRST)
    page = signed_in(browser, revised)
    page.goto("/propose")
    page.get_by_label("Document").set_input_files(tmp_path / "rampa.toml")
    page.get_by_role("button", name="Make the title").click()
    expect(page.get_by_role("alert")).to_contain_text("belongs to the title peatlight")
    go(page, "document/edit")
    page.get_by_label("A document's file").set_input_files(tmp_path / "rampa.toml")
    expect(page.get_by_role("status")).to_contain_text("Draft kept")
    with revised.client() as client:
        kept = client.titles.drafts("peatlight").draft
    assert kept
    assert kept.document == FIRST


def test_axe_finds_nothing_and_nothing_scrolls_sideways(browser: Browser, revised: Live) -> None:
    with revised.client() as client:
        client.titles.save_draft("peatlight", EVERYWHERE.replace("display.touch_controls = true", ""), 3, 0)
    wrong = complaints(signed_in(browser, revised), PAGES)
    assert not wrong, "\n".join(wrong)
