"""A player's simulated device at a storefront: found, installed, updated, held, gone back; by its pages and by itself."""

from __future__ import annotations

import datetime as dt
import hashlib
import html
import io
import re
import time
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import httpx
import pytest

from rampa.core.bundle.sources import BytesSource
from rampa.core.devices.player import PlayerState
from rampa.core.submission.life import SubmissionState as S
from rampa.schema import storefronts as wire
from rampa.standin.player import PlayerDevice
from rampa.standin.storefront.device_pages import act_on
from rampa.standin.storefront.player_devices import MOST_TITLES
from rampa.standin.storefront_asked import StorefrontAsked
from rampa.storefronts.conformance import Trial
from rampa.storefronts.port import Sending
from rampa.system import CLOCK
from tests.refusals import refuses
from tests.shops import Quay
from tests.storefronts.conftest import Opens

MOST_WAITED = 60.0


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def live(quay: Quay, trial: Trial, text: str, share: int = 100) -> wire.SubmissionAt:
    """The next version, with a text of its own in it, on show."""
    data = zipped({"Peatlight/peatlight": b"\x7fELF", "Peatlight/signals.txt": text.encode()})
    digest = hashlib.sha256(data).hexdigest()
    upload = trial.storefront.send_bundle(BytesSource(data), digest, Sending())
    made = trial.storefront.submit(trial.sent(upload=upload, sha256=digest), f"key-{digest[:12]}-{trial.code:08}")
    quay.until(quay.adapter(), made.id, S.PASSED)
    return quay.adapter().act(made.id, wire.ActIn(act="go-live", share=share))


def plain(page: str) -> str:
    return html.unescape(re.sub(r"\s+", " ", re.sub(r"(?s:<style>.*</style>)|<[^>]+>", " ", page)))


@dataclass
class Player:
    """Somebody with a browser."""

    http: httpx.Client
    title: str
    pages: list[str] = field(default_factory=list)

    def post(self, path: str, **form: str) -> str:
        return plain(self.http.post(path, data=form, follow_redirects=True).text)

    def act(self, act: str) -> str:
        return self.post(f"/device/{act}", title=self.title, back=f"/title/{self.title}")

    def sees(self, words: str) -> str:
        """On the title's page, before long: what takes long goes on by itself."""
        until = time.monotonic() + MOST_WAITED
        while words not in (seen := plain(self.http.get(f"/title/{self.title}").text)):
            assert time.monotonic() < until, seen
            time.sleep(0.05)
        return seen


def test_a_title_is_found_installed_updated_and_removed(opens: Opens) -> None:
    quay = opens("northquay")
    trial = quay.trial()
    live(quay, trial, "green")
    with quay.http() as http:
        player = Player(http, trial.identifier)
        assert "Peatlight" in http.get("/", params={"search": "peat"}).text
        assert "Install it on a simulated device" in player.sees("A device for")
        assert "On your simulated device for Linux" in player.post(
            "/device", platform="linux", back=f"/title/{trial.identifier}"
        )
        player.act("install")
        assert "It is the newest for this device." in player.sees("1.1.0 (1) is installed: 2 files")
        assert "Peatlight 1.1.0 (1) is installed" in plain(player.http.get("/device").text)
        second = live(quay, trial, "amber")
        player.sees("An update is there: 1.2.0 (2)")
        player.act("install")
        player.sees("1.2.0 (2) is installed")
        trees = list(quay.shop.folder.glob("devices/*/titles/*/trees/*/Peatlight/signals.txt"))
        assert [t.read_text() for t in trees] == ["amber"]
        quay.adapter().act(second.id, wire.ActIn(act="roll-back"))
        assert "This storefront went back to 1.1.0; what is installed stays." in player.sees("1.2.0 (2) is installed")
        player.act("remove")
        assert "is installed" not in player.sees("1.1.0 (1), 0.3 kB")
        player.post("/device/give-back")
        assert list(quay.shop.folder.glob("devices/*")) == []
        assert "you have no simulated device here" in player.act("install")


def test_who_is_not_among_the_share_gets_nothing_and_who_has_it_keeps_it(opens: Opens) -> None:
    quay = opens("northquay")
    trial = quay.trial()
    made = live(quay, trial, "green", share=40)
    devices = [device_of(quay, f"device-{n}") for n in range(30)]
    got = [d for d in devices if d.look(trial.identifier).offered]
    assert 4 < len(got) < 26
    got[0].begin(trial.identifier)
    got[0].install(trial.identifier)
    quay.adapter().act(made.id, wire.ActIn(act="hold"))
    kept, later = got[0].look(trial.identifier), got[1].look(trial.identifier)
    assert (kept.installed is not None, kept.update, later.update) == (True, False, False)


def device_of(quay: Quay, number: str, connect: Callable[[], httpx.Client] | None = None) -> PlayerDevice:
    return PlayerDevice(quay.shop.folder / number, number, "linux", connect or quay.http, CLOCK)


class Hostile(httpx.BaseTransport):
    """A storefront that answers as `change` says: (path, the true answer's body) -> what goes out."""

    def __init__(self, quay: Quay, change: Callable[[str, bytes], bytes]) -> None:
        self._true, self._change = quay.http(), change
        self.ranges: list[str] = []

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        self.ranges.append(request.headers.get("range", ""))
        answer = self._true.get(request.url.raw_path.decode(), headers=dict(request.headers))
        return httpx.Response(answer.status_code, content=self._change(request.url.path, answer.content))

    def connect(self) -> httpx.Client:
        return httpx.Client(transport=self, base_url="http://storefront.test")


def test_what_is_cut_goes_on_where_it_ended(opens: Opens) -> None:
    quay = opens("northquay")
    trial = quay.trial()
    made = live(quay, trial, "green" * 2000)
    cuts = iter([3000, 7000])
    hostile = Hostile(quay, lambda path, body: body[: next(cuts, None)] if path.endswith("/bundle") else body)
    device = device_of(quay, "cut", hostile.connect)
    device.begin(trial.identifier)
    assert "3,000 of" in device.install(trial.identifier).trouble
    # The device was switched off meanwhile: another finds what arrived.
    device = device_of(quay, "cut", hostile.connect)
    assert device.titles()[0].state == "stopped"
    device.begin(trial.identifier)
    assert "10,000 of" in device.install(trial.identifier).trouble
    device.begin(trial.identifier)
    done = device.install(trial.identifier)
    assert done.installed is not None
    assert done.installed.promised.sha256 == made.sha256
    assert [r for r in hostile.ranges if r] == ["bytes=3000-", "bytes=10000-"]


def test_each_way_in_which_a_storefront_fails_a_device_has_its_code(opens: Opens, tmp_path: Path) -> None:
    quay = opens("northquay")
    trial = quay.trial()

    def asked(change: Callable[[str, bytes], bytes] | None = None) -> StorefrontAsked:
        connect = Hostile(quay, change).connect if change else quay.http
        return StorefrontAsked(connect, "d", "linux", CLOCK)

    def fetch(change: Callable[[str, bytes], bytes]) -> None:
        asked(change).fetch(asked().offer(trial.identifier), tmp_path / "b", lambda *_: None, lambda: False)

    with refuses("player.nothing"):
        asked().offer(trial.identifier)
    live(quay, trial, "green")
    with refuses("player.answer"):
        asked(lambda path, body: b"fog").offer(trial.identifier)
    with refuses("player.cut", "bytes have arrived"):
        fetch(lambda path, body: body[:20])
    with refuses("bundle.other", "more arrives"):
        fetch(lambda path, body: body * 2)
    quay.shop.engine.dispose()

    def away() -> httpx.Client:
        return httpx.Client(transport=httpx.MockTransport(lambda _: httpx.Response(503)), base_url="http://x.test")

    with refuses("player.away", "the storefront says 503"):
        StorefrontAsked(away, "d", "linux", CLOCK).offer(trial.identifier)


def test_what_the_host_of_devices_refuses(opens: Opens) -> None:
    quay = opens("northquay")
    devices = quay.app.extensions["players"]
    with refuses("player.platform"):
        devices.make("headset")
    with refuses("player.device"):
        devices.find("../../etc")
    device = devices.make("linux")
    with refuses("player.identifier"):
        device.look("../x")
    with refuses("player.act"):
        act_on(devices, device, "sign", "a")
    for number in range(MOST_TITLES):
        device._change(f"a.title{number}", state=PlayerState.STOPPED)
    with refuses("player.many", "12 titles"):
        devices.install(device, "one.more")
    (quay.shop.folder / "devices" / "half-made").mkdir()
    for _ in range(19):
        devices.make("linux")
    with refuses("player.devices", "20 simulated devices"):
        devices.make("linux")


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda path, body: body.replace(b"amber", b"green"), "not the bundle that was promised"),
        (lambda path, body: body + b"x" * 5000 if path.endswith("bundle") else body, "more arrives than was promised"),
        (lambda path, body: b"[" * 300_000 if path.endswith("offer") else body, "the storefront's answer does not end"),
        (lambda path, body: b"<p>fog" if path.endswith("offer") else body, "none that this device knows"),
        (lambda path, body: body.replace(b'"identifier":"example', b'"identifier":"another'), "offers another title"),
    ],
)
def test_a_hostile_storefront_changes_nothing(opens: Opens, change: Callable[[str, bytes], bytes], said: str) -> None:
    quay = opens("northquay")
    trial = quay.trial()
    live(quay, trial, "green")
    device = device_of(quay, "attacked")
    device.begin(trial.identifier)
    before = device.install(trial.identifier).installed
    live(quay, trial, "amber")
    attacked = device_of(quay, "attacked", Hostile(quay, change).connect)
    attacked.begin(trial.identifier)
    after = attacked.install(trial.identifier)
    assert said in after.trouble
    assert (after.installed, after.state) == (before, "stopped")
    honest = device_of(quay, "attacked")
    honest.begin(trial.identifier)
    assert honest.install(trial.identifier).installed != before


def test_a_stranger_reaches_no_other_device_and_no_other_folder(opens: Opens) -> None:
    quay = opens("northquay")
    trial = quay.trial()
    live(quay, trial, "green")
    with quay.http() as http:
        player = Player(http, trial.identifier)
        player.post("/device", platform="linux")
        for path in ("..", "../../uploads", "a/../../..", ".", ""):
            for act in ("install", "remove", "stop"):
                assert "this is no title's identifier" in player.post(f"/device/{act}", title=path)
        assert (quay.shop.folder / "uploads").is_dir()
        assert "a device does no such thing" in player.act("sign")
        foreign = http.post("/device/remove", data={"title": "a"}, headers={"Origin": "http://elsewhere.example"})
        assert foreign.json()["code"] == "player.origin"
        away = http.post("/device/remove", data={"title": trial.identifier, "back": "//elsewhere.example/device"})
        assert away.headers["location"] == "/device"
        assert "no titles for that" in player.post("/device", platform="headset")
        (number,) = (p.name for p in quay.shop.folder.glob("devices/*"))
        http.cookies.clear()
        for guess in (f"../devices/{number}", number[:-1], ""):
            answer = http.post("/device/give-back", headers={"Cookie": f"northquay_device={guess}"})
            assert "you have no simulated device here" in plain(answer.text)
        for _ in range(19):
            http.post("/device", data={"platform": "linux"})
        assert "20 simulated devices are in use" in player.post("/device", platform="linux")
        quay.now += dt.timedelta(days=1, seconds=1)
        assert "Your simulated device for Linux" in player.post("/device", platform="linux")


def test_while_something_is_installed_it_is_neither_begun_again_nor_given_back(opens: Opens, tmp_path: Path) -> None:
    quay = opens("northquay")
    trial = quay.trial()
    live(quay, trial, "green")
    device = device_of(quay, "busy")
    device.look(trial.identifier)
    device.begin(trial.identifier)
    with refuses("state.conflict", "fetching"):
        device.begin(trial.identifier)
    with refuses("player.busy", "it is being installed"):
        device.remove(trial.identifier)
    device.stop(trial.identifier)
    assert (device.install(trial.identifier).state, device.title(trial.identifier).trouble) == ("stopped", "")
    with refuses("player.still", "nothing arrives"):
        device.stop(trial.identifier)
