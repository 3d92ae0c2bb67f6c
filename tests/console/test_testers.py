"""Testers in the console: from a letter to an installed build on a page of a phone's width; what the studio sees of them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from rampa.client import Client
from rampa.operations.base.context import Services
from rampa.operations.testers import letters
from rampa.schema.feedback import FeedbackIn
from rampa.schema.testers import AddressesIn, JoinAccept
from tests.conftest import Live, Lives
from tests.console.driving import MARKS, complaints, signed_in
from tests.gits import ANYWHERE
from tests.service.test_sign_offs import picture
from tests.test_named import ROOT
from tests.testing import CHANNEL, CHECKLISTS, GROUP, PASSWORD, TITLE, fill

pytestmark = MARKS
KAISA = "kaisa@kilnyard.example"
STUDIO_PAGES = [
    "titles/peatlight/testers",
    "titles/peatlight/testers/groups",
    "titles/peatlight/testers/invitations",
    "titles/peatlight/testers/invite",
    "titles/peatlight/channels/testers",
    "titles/peatlight/devices",
    "titles/peatlight/feedback",
    "titles/peatlight/feedback/1",
    "titles/peatlight/builds/1",
]
OWN_PAGES = [
    "testing",
    "testing/devices",
    "testing/simulated",
    "testing/feedback",
    "testing/account",
    "install/peatlight/testers/1",
    "install/peatlight/testers/1/sign-off/night",
]


@dataclass
class Stage:
    live: Live
    client: Client
    services: Services

    def invite(self, *lines: str) -> list[str]:
        """Links of the letters, as they lead to this service."""
        sent: list[str] = []
        # The service makes links from the address that browsers find it at.
        self.client.testers.invite(TITLE, GROUP, AddressesIn(addresses="\n".join(lines)))
        letters.send_due(self.services, lambda _to, _subject, text: sent.append(text))
        return [re.search(r"http://\S+/join#\S+", text)[0] for text in sent]  # type: ignore[index]

    def phone(self, browser: Browser) -> Page:
        context = browser.new_context(
            base_url=self.live.address, viewport={"width": 390, "height": 844}, reduced_motion="reduce"
        )
        return context.new_page()


@pytest.fixture
def stage(lives: Lives, tmp_path: Path) -> Iterator[Stage]:
    def filled(client: Client) -> None:
        fill(client, tmp_path)
        client.sign_offs.set_checklists(TITLE, CHECKLISTS)

    live = lives(filled)
    services = live.worker(reach=ANYWHERE, origin=live.address)
    with live.client() as client:
        yield Stage(live, client, services)
    services.db.engine.dispose()


def joined(stage: Stage) -> None:
    (link,) = stage.invite(f"Kaisa <{KAISA}>")
    stage.client.testers.join(JoinAccept(code=link.rpartition("#")[2], password=PASSWORD))


def test_a_stranger_opens_a_letter_registers_a_phone_and_downloads(browser: Browser, stage: Stage) -> None:
    (link,) = stage.invite(f"Kaisa <{KAISA}>")
    page = stage.phone(browser)
    page.goto(link)
    expect(
        page.get_by_text("Iida of Quillback Works invites kaisa@kilnyard.example to test Peatlight.")
    ).to_be_visible()
    page.get_by_label("Choose a password").fill(PASSWORD)
    page.get_by_role("button", name="Accept").click()
    expect(page.get_by_role("heading", name="To test", exact=True)).to_be_visible()
    expect(page).to_have_url(re.compile("/testing$"))
    page.get_by_role("link", name="Devices").click()
    page.get_by_role("button", name="Make a code").click()
    expect(page.get_by_role("img", name=re.compile("QR code of http"))).to_be_visible()
    page.get_by_role("link", name="this link").click()
    page.get_by_label("Name").fill("Kaisa's")
    page.get_by_label("System level").fill("14")
    page.get_by_role("button", name="Register it").click()
    assert page.locator("input:invalid").count() == 1, "a name is small letters"
    page.get_by_label("Name").fill("kaisa-phone")
    page.get_by_role("button", name="Register it").click()
    expect(page.get_by_role("heading", name="kaisa-phone is registered")).to_be_visible()
    (device,) = stage.client.devices.all(TITLE)
    assert (device.name, device.level, device.keyed, device.person) == ("kaisa-phone", "14", True, "Kaisa")
    page.get_by_role("link", name="What can be installed").click()
    page.get_by_role("link", name=re.compile("Install 1.4.0 for Linux")).click()
    with page.expect_download() as started:
        page.get_by_role("button", name=re.compile("Download, ")).click()
    assert started.value.suggested_filename.startswith("peatlight-1.4.0")
    # By the keyboard: a click at its place may meet the ways at the page's end, which lie over it.
    page.get_by_role("switch", name="On a simulated device").press("Space")
    page.get_by_role("button", name="Make a code").click()
    expect(page.get_by_text(re.compile("rampa device add my-device --platform linux --code http"))).to_be_visible()
    # The link is used; and the phone, when it is lost, is taken out.
    page.goto(link)
    expect(page.get_by_role("alert")).to_contain_text("accepted already")
    page.goto("/testing/devices")
    page.get_by_role("button", name="Take it out …").click()
    page.get_by_role("dialog").get_by_role("button", name="Take it out").click()
    expect(page.get_by_text("You have no device yet.")).to_be_visible()


def test_a_link_that_is_declined_or_not_whole_and_a_device_s_page_without_a_code(
    browser: Browser, stage: Stage
) -> None:
    (link,) = stage.invite("onni@kilnyard.example")
    page = stage.phone(browser)
    page.goto("/join")
    expect(page.get_by_text("The link is not whole.")).to_be_visible()
    page.goto(link)
    page.get_by_role("button", name="Decline").click()
    expect(page.get_by_text("You declined.")).to_be_visible()
    page.goto("/device")
    page.get_by_label("Code").fill("AAAA-BBBB-CCCC-DDDD")
    page.get_by_label("Name").fill("phone")
    page.get_by_role("button", name="Register it").click()
    expect(page.get_by_role("alert")).to_contain_text("this code registers no device")


def test_an_engineer_invites_gives_access_and_withdraws(browser: Browser, stage: Stage) -> None:
    joined(stage)
    page = signed_in(browser, stage.live)
    page.goto("/titles/peatlight/testers/groups")
    page.get_by_role("button", name="Make a group …").click()
    page.get_by_label("Name").fill("day-crew")
    page.get_by_label("Seats").fill("5")
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_role("row", name=re.compile("day-crew.*5 of 5 free"))).to_be_visible()
    page.get_by_role("link", name="Invite testers …").click()
    dialogue = page.get_by_role("dialog")
    dialogue.get_by_label("People", exact=True).fill(f"onni@kilnyard.example\nnobody\n{KAISA}")
    expect(dialogue).to_contain_text("2 new people")
    expect(dialogue.get_by_label("Lines that are wrong")).to_contain_text("there is no address on this line")
    expect(dialogue.get_by_role("button", name="Invite 2 people")).to_be_disabled()
    dialogue.get_by_role("switch", name=re.compile("Leave 1 wrong line out")).click(force=True)
    dialogue.get_by_role("button", name="Invite 2 people").click()
    expect(dialogue).not_to_be_visible()
    page.get_by_role("link", name="Invitations").click()
    expect(page.get_by_role("row", name=re.compile("onni@kilnyard.example.*day-crew.*open"))).to_be_visible()
    page.get_by_role("button", name="Withdraw onni@kilnyard.example").click()
    expect(page.get_by_role("row", name=re.compile("onni@kilnyard.example.*withdrawn"))).to_be_visible()
    page.goto(f"/titles/peatlight/channels/{CHANNEL}")
    page.get_by_role("button", name="Give access …").click()
    page.get_by_role("dialog").get_by_label("Or one person").fill(KAISA)
    page.get_by_role("dialog").get_by_role("button", name="Give access").click()
    expect(page.get_by_role("row", name=re.compile("Kaisa, kaisa@kilnyard.example"))).to_be_visible()
    page.get_by_role("button", name=re.compile("Take away from Kaisa")).click()
    expect(page.get_by_role("row", name=re.compile("Kaisa, kaisa@"))).not_to_be_visible()
    page.goto("/titles/peatlight/testers")
    page.get_by_role("button", name="Withdraw … Kaisa").click()
    page.get_by_role("dialog").get_by_role("button", name="Withdraw Kaisa").click()
    expect(page.get_by_text("Nobody tests it yet.")).to_be_visible()


def test_whatever_page_a_tester_opens_it_is_their_own(browser: Browser, stage: Stage) -> None:
    joined(stage)
    page = signed_in(browser, stage.live, width=390, email=KAISA, password=PASSWORD)
    routing = (ROOT / "console/src/app/Routing.tsx").read_text()
    paths = {re.sub(r":\w+", "peatlight", p) for p in re.findall(r'<Route path="([^"]+)"', routing) if p != "*"}
    own = {p for p in paths if p.startswith(("testing", "install"))} | {
        "join",
        "device",
        "invitation",
        "signed-in",
        "allow",
    }
    asked: list[str] = []
    page.on("response", lambda r: asked.append(f"{r.status} {r.url}") if "/api/" in r.url else None)
    assert len(paths - own) > 40
    for path in sorted(paths - own):
        page.evaluate(
            "path => { history.pushState(null, '', path); dispatchEvent(new PopStateEvent('popstate')); }", f"/{path}"
        )
        expect(page.get_by_role("heading", name="This page is the studio's")).to_be_visible()
    assert not [a for a in asked if "/titles" in a], "nothing of the studio was even asked for"
    page.goto("/")
    expect(page.get_by_role("heading", name="To test")).to_be_visible()


def test_a_tester_ticks_also_offline_and_the_studio_answers_what_they_say(
    browser: Browser, stage: Stage, tmp_path: Path
) -> None:
    joined(stage)
    (tmp_path / "fog.png").write_bytes(picture())
    page = signed_in(browser, stage.live, width=390, email=KAISA, password=PASSWORD)
    page.goto("/install/peatlight/testers/1")
    page.get_by_role("link", name="One night on the bog, 3 points").click()
    title = page.get_by_role("article", name="Alder Halt shows within five seconds.")
    title.get_by_text("As it says").click()
    expect(page.get_by_text("Kept.", exact=True)).to_be_visible()
    page.context.set_offline(True)
    fog, thaw = (page.get_by_role("article", name=re.compile(n)) for n in ("The fog at Marrow Bend", "The thaw gate"))
    thaw.get_by_text("Not so").click()
    thaw.get_by_label("What you saw *").fill("It stays shut.")
    expect(page.get_by_text("it is sent as soon as the service answers")).to_be_visible()
    page.context.set_offline(False)
    expect(page.get_by_text("Kept.", exact=True)).to_be_visible()
    # Left and opened again, all of it is there; then the last point, with its picture.
    page.goto("/install/peatlight/testers/1/sign-off/night")
    expect(thaw.get_by_label("What you saw *")).to_have_value("It stays shut.")
    expect(page.get_by_role("button", name="1 of 3 left to look at")).to_be_disabled()
    fog.get_by_text("As it says").click()
    page.get_by_role("button", name="Sign off").click()
    expect(page.get_by_role("alert")).to_contain_text("fog asks for a picture")
    fog.locator("input[type=file]").set_input_files(tmp_path / "fog.png")
    expect(fog.get_by_role("img", name="What was seen, 1")).to_be_visible()
    page.get_by_role("button", name="Sign off").click()
    expect(page.get_by_role("heading", name="Thank you: that is what has to be mended")).to_be_visible()
    page.goto("/install/peatlight/testers/1")
    page.get_by_label("What you want to tell the studio").fill("The lanterns flicker.")
    page.get_by_role("button", name="Tell the studio").click()
    expect(page.get_by_text("The studio has it.")).to_be_visible()
    studio = signed_in(browser, stage.live)
    studio.goto("/titles/peatlight/builds/1")
    expect(studio.get_by_role("row", name=re.compile("Kaisa One night on the bog ✗ 1 failed"))).to_contain_text(
        "It stays shut."
    )
    studio.get_by_role("link", name="The lanterns flicker.").click()
    studio.get_by_label("To the tester").fill("Since when?")
    studio.get_by_role("button", name="Answer", exact=True).click()
    expect(studio.get_by_text("Iida, of the studio")).to_be_visible()
    page.get_by_role("link", name="Feedback", exact=True).click()
    page.get_by_label("Your reply").fill("Since yesterday.")
    page.get_by_role("button", name="Reply").click()
    expect(page.get_by_text("Since yesterday.")).to_be_visible()
    studio.reload()
    studio.get_by_label("Mended in build").fill("2")
    studio.get_by_role("button", name="Close it").click()
    expect(studio.locator(".headline")).to_contain_text("Mended in #2")
    studio.goto("/titles/peatlight/feedback?state=closed")
    expect(studio.get_by_role("row", name=re.compile("closed The lanterns flicker"))).to_be_visible()
    page.reload()
    expect(page.get_by_text("mended in #2")).to_be_visible()


def test_pages_of_testers_hold_for_readers_of_screens_and_on_a_phone(browser: Browser, stage: Stage) -> None:
    joined(stage)
    stage.client.feedback.say(TITLE, CHANNEL, 1, FeedbackIn(text="Fog.", device="a desk"))
    wrong = complaints(signed_in(browser, stage.live), [*STUDIO_PAGES, *OWN_PAGES])
    assert not wrong, "\n".join(wrong)
