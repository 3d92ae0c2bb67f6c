"""The delivery of a title, what one is told of by letter, and simulated devices, in the console."""

from __future__ import annotations

import re
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect

from rampa.core.devices.screen import Form
from rampa.local.postgres import free_port
from rampa.local.screen_host import ScreenHost, make_server
from rampa.operations.delivery.publish import publish_due
from rampa.standin.screen import Played
from tests.console.driving import MARKS, complaints, signed_in
from tests.console.test_testers import KAISA, Stage, joined, stage
from tests.delivering import hold_ceremony
from tests.service.test_sign_offs import picture
from tests.testing import PASSWORD

pytestmark = MARKS
__all__ = ["stage"]


class Machines:
    """A host of simulated devices; `next` is what the next start comes to."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.port = folder, free_port()
        self.next = Played("Peatlight 1.4.0 self-test: ok", picture=picture())
        self.host: ScreenHost | None = None

    def begin(self, address: str) -> None:
        self.host = ScreenHost(self.folder, address, self.play)
        server = make_server(self.host, self.port, "a-secret-of-the-host")
        threading.Thread(target=server.serve_forever, daemon=True).start()

    def play(self, tree: Path, launch: str, form: str, screen: Form) -> Played:
        return self.next


@pytest.fixture(autouse=True)
def machines(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Machines]:
    """The service is told of them before it starts."""
    made = Machines(tmp_path / "screens")
    monkeypatch.setenv("RAMPA_SCREENS", f"http://127.0.0.1:{made.port}/a-secret-of-the-host")
    yield made
    if made.host is not None:
        made.host.end()


def test_the_root_and_origins(browser: Browser, stage: Stage) -> None:
    page = signed_in(browser, stage.live)
    page.goto("/titles/peatlight/delivery")
    expect(page.get_by_text("No root yet")).to_be_visible()
    hold_ceremony(stage.client)
    publish_due(stage.services)
    page.reload()
    expect(page.get_by_text("Vendla, Aino, Oskar: any 2 of 3 sign the next")).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("timestamp.*✓ holds"))).to_be_visible()
    page.get_by_role("button", name="Add an origin …").click()
    page.get_by_label("Name").fill("quay")
    page.get_by_label("Address").fill("https://files.quillback.example/delivery")
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("row", name=re.compile("quay.*not looked at yet"))).to_be_visible()
    page.get_by_role("button", name="Pause, quay").click()
    expect(page.get_by_text("▲ paused")).to_be_visible()
    assert not complaints(page, ["titles/peatlight/delivery"])
    page.goto("/titles/peatlight/delivery")
    page.get_by_role("button", name="Remove … quay").click()
    page.get_by_role("dialog").get_by_role("button", name="Remove quay").click()
    expect(page.get_by_text("Devices fetch from the service alone.")).to_be_visible()


def test_letters_are_chosen_by_kind_and_title(browser: Browser, stage: Stage) -> None:
    page = signed_in(browser, stage.live)
    page.goto("/account")
    page.get_by_role("combobox", name="When you are told of runs").click()
    page.get_by_role("option", name="once a day, 06:00 UTC").click()
    # What a title's own choice begins with depends on this one: it is saved first.
    expect(page.get_by_role("combobox", name="When you are told of runs")).to_have_value("once a day, 06:00 UTC")
    page.get_by_role("combobox", name="Choose apart for a title: runs").click()
    page.get_by_role("option", name="Peatlight").click()
    expect(page.get_by_role("combobox", name="When you are told of runs of peatlight")).to_have_value("never")
    (runs,) = [c for c in stage.client.letters.choices() if c.kind == "runs"]
    assert (runs.time, [(t.title, t.time) for t in runs.titles]) == ("daily", [("peatlight", "never")])
    page.get_by_role("button", name="As for all: runs of peatlight").click()
    expect(page.get_by_role("combobox", name="When you are told of runs of peatlight")).to_have_count(0)
    assert not complaints(page, ["account"])


def test_the_same_in_the_console(browser: Browser, stage: Stage, machines: Machines) -> None:
    machines.begin(stage.live.address)
    page = signed_in(browser, stage.live)
    page.goto("/titles/peatlight/devices")
    page.get_by_role("link", name="look at some").click()
    assert page.url.endswith("/titles/peatlight/devices/simulated")
    expect(page.get_by_text("You have no simulated device yet.")).to_be_visible()
    page.get_by_label("Name").fill("night-visor")
    page.get_by_role("combobox", name="Form").click()
    page.get_by_role("option", name="headset").click()
    page.get_by_role("combobox", name="Follows").click()
    page.get_by_role("option", name="testers of Peatlight").click()
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("region", name="Screen of night-visor")).to_contain_text("There is 1.4.0, build 1")
    page.mouse.move(0, 0)  # where it lies now, a moment would be told of
    assert not complaints(page, ["titles/peatlight/devices/simulated", "testing/simulated"])


def test_a_tester_tries_a_build_on_a_simulated_phone(browser: Browser, stage: Stage, machines: Machines) -> None:
    machines.begin(stage.live.address)
    joined(stage)
    page = signed_in(browser, stage.live, width=390, email=KAISA, password=PASSWORD)
    page.goto("/testing/devices")
    page.get_by_role("link", name="Try it on a simulated one").click()
    page.get_by_label("Name").fill("pocket")
    page.get_by_role("button", name="Add it").click()
    face = page.get_by_role("region", name="Screen of pocket")
    expect(face).to_contain_text("simulated")
    expect(face).to_contain_text("There is 1.4.0, build 1")
    page.get_by_role("button", name="Install, pocket").click()
    expect(face).to_contain_text("1.4.0, build 1")
    page.get_by_role("button", name="Start, pocket", exact=True).click()
    expect(page.get_by_text("Peatlight 1.4.0 self-test: ok")).to_be_visible()
    expect(face.get_by_role("img", name="Drawn by Peatlight")).to_be_visible()
    machines.next = Played("", crashed="The title ended: it was ended by SIGSEGV.")
    page.get_by_role("button", name="Start, pocket", exact=True).click()
    expect(face).to_contain_text("Peatlight ended by itself")
    page.get_by_role("button", name="Close, pocket").click()
    page.get_by_role("combobox", name="Network").click()
    page.get_by_role("option", name="none").click()
    expect(face).to_contain_text("network gone")
    page.get_by_role("button", name="Look now, pocket").click()
    expect(page.get_by_text("this simulated device has no network")).to_be_visible()
    page.get_by_role("button", name="Take it out … pocket").click()
    page.get_by_role("dialog").get_by_role("button", name="Take it out").click()
    expect(page.get_by_text("You have no simulated device yet.")).to_be_visible()
