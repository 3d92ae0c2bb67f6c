"""Simulated devices that one can look at: they look, install, start the title and fail as the conditions have it; and who may
look at whose."""

from __future__ import annotations

import itertools
import threading
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import httpx
import pytest

from rampa.client import Client
from rampa.core.devices.screen import Form, Network, ScreenAct, ScreenState, UpdateHabit
from rampa.core.errors import NotFound
from rampa.local.postgres import free_port
from rampa.local.screen_host import ScreenHost, make_server
from rampa.schema.common import Role
from rampa.schema.screens import NewScreen, Screen, ScreenSet
from rampa.standin import screen as screens
from rampa.standin.conditions import Troubled
from rampa.standin.screen import Played
from rampa.store.screen_host import ScreenHostAddress
from tests.conftest import Begun, Standing, World
from tests.core.install.test_install import Shop
from tests.ends.machines import until
from tests.refusals import refuses
from tests.service.test_webhooks import target, with_status
from tests.testing import CHANNEL, TITLE, Crew, fill, make_crew

KAISA, ONNI = "kaisa@kilnyard.example", "onni@kilnyard.example"
GOOD = ScreenSet(habit=UpdateHabit.AT_A_LOOK, network=Network.GOOD, room=None, clock=0)


class Room:
    """A host of simulated devices beside the service; `played` is what a start comes to."""

    def __init__(self, crew: Crew, folder: Path) -> None:
        self.crew, self.played = crew, Played("Peatlight 1.4.0 self-test: ok", picture=b"a picture")
        self.host = ScreenHost(folder, "http://rampa.test", self.play)

    def play(self, tree: Path, launch: str, form: str, screen: Form) -> Played:
        assert (tree / launch).is_file()
        assert form == f"{screen}-1"
        return self.played

    def add(self, who: Client, name: str, form: Form = Form.PHONE) -> str:
        return who.screens.add(TITLE, CHANNEL, NewScreen(name=name, form=form)).device

    def shows(self, device: str, *states: ScreenState) -> Screen:
        """What it shows once it is in one of these states."""
        found: list[Screen] = []

        def there() -> bool:
            found.append(self.crew.client.screens.get(device))
            return found[-1].state in states

        until(there, f"it shows one of {', '.join(states)}", 60)
        return found[-1]

    def settled(self, device: str, act: ScreenAct | None = None) -> Screen:
        if act is not None:
            self.crew.client.screens.act(device, act)
        return self.shows(device, ScreenState.HOME, ScreenState.WAITING, ScreenState.CRASHED)


@pytest.fixture
def crew(world: World, client: Client, begun: Begun, standing: tuple[Standing, object], tmp_path: Path) -> Crew:
    def filled() -> None:
        fill(client, tmp_path)

    begun(filled)
    return make_crew(world, client, standing[0])


@pytest.fixture
def room(
    crew: Crew, standing: tuple[Standing, object], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Room]:
    monkeypatch.setattr("rampa.local.screen_host.Client", lambda _: crew.unknown())
    monkeypatch.setattr(screens, "calling", crew.calling)
    monkeypatch.setattr(screens, "LOOK_EVERY", 3600.0)
    monkeypatch.setattr(
        "rampa.client.delivery.origins.open_http", lambda _: httpx.Client(transport=crew.world.transport())
    )
    made, port = Room(crew, tmp_path / "screens"), free_port()
    server = make_server(made.host, port, "a-secret-of-the-host")
    threading.Thread(target=server.serve_forever, daemon=True).start()
    crew.world.services = replace(
        crew.world.services, screens=ScreenHostAddress(f"http://127.0.0.1:{port}/a-secret-of-the-host")
    )
    standing[0].now_in = crew.world.services
    yield made
    made.host.end()
    server.shutdown()
    server.server_close()


def place(client: Client, number: int) -> None:
    client.channels.place(TITLE, CHANNEL, number, client.channels.preview(TITLE, CHANNEL, number).etag)


def test_a_tester_installs_and_plays_on_a_simulated_phone(room: Room) -> None:
    kaisa = room.crew.join(KAISA)
    device = room.add(kaisa, "pocket")
    shown = room.settled(device, None)
    until(lambda: room.crew.client.screens.get(device).looked_at, "it looked by itself", 60)
    shown = room.settled(device)
    assert (shown.state, shown.found.build if shown.found else 0) == (ScreenState.WAITING, 1)
    assert ScreenAct.START not in shown.acts, "nothing is installed yet"
    with refuses("screen.empty"):
        room.host.get(device).act(ScreenAct.START)
    with refuses("screen.no-picture"):
        kaisa.screens.picture(device)
    kaisa.screens.act(device, ScreenAct.INSTALL)
    shown = room.shows(device, ScreenState.HOME)
    assert shown.installed
    assert (shown.installed.build, shown.installed.version_name) == (1, "1.4.0")
    kaisa.screens.act(device, ScreenAct.START)
    shown = room.shows(device, ScreenState.HOME)
    assert "self-test: ok" in shown.said
    assert kaisa.screens.picture(device) == b"a picture"
    (mine,) = kaisa.testers.own_devices()
    assert (mine.name, mine.simulated, mine.build) == ("pocket", True, 1)


def test_an_update_comes_as_its_person_chose(room: Room) -> None:
    owner = room.crew.client
    devices = {habit: room.add(owner, habit.value, Form.TABLET) for habit in UpdateHabit}
    for habit, device in devices.items():
        room.settled(device)
        until(lambda d=device: owner.screens.get(d).found, "it found the build", 60)  # type: ignore[misc]
        owner.screens.set(device, GOOD.model_copy(update={"habit": habit}))
        room.settled(device, ScreenAct.INSTALL)
    place(owner, 2)

    def has(device: str) -> int:
        shown = room.settled(device)
        return shown.installed.build if shown.installed else 0

    for device in devices.values():
        room.settled(device, ScreenAct.LOOK)
    assert {h: has(d) for h, d in devices.items()} == {
        UpdateHabit.BY_ITSELF: 2,
        UpdateHabit.AT_A_LOOK: 1,
        UpdateHabit.AFTER_RESTART: 1,
    }
    for device in devices.values():
        room.settled(device, ScreenAct.RESTART)
    assert has(devices[UpdateHabit.AFTER_RESTART]) == 2
    assert has(devices[UpdateHabit.AT_A_LOOK]) == 1


@pytest.mark.parametrize(
    ("changed", "says"),
    [
        ({"network": Network.GONE}, "has no network"),
        ({"network": Network.FAILING}, "broke off"),
        ({"room": 1000}, "are free on the disk|MB are free"),
        ({"clock": 3 * 86_400.0}, "set this machine's clock|This machine's clock says"),
    ],
)
def test_conditions_show_and_nothing_is_lost(room: Room, changed: dict[str, object], says: str) -> None:
    owner = room.crew.client
    device = room.add(owner, "desk", Form.DESKTOP)
    until(lambda: owner.screens.get(device).found, "it found the build", 60)
    owner.screens.set(device, GOOD.model_copy(update=changed))
    shown = room.settled(device, ScreenAct.INSTALL)
    assert shown.installed is None
    assert any(part in shown.trouble for part in says.split("|")), shown.trouble
    owner.screens.set(device, GOOD)
    if shown.state is not ScreenState.WAITING:
        room.settled(device, ScreenAct.LOOK)
    shown = room.settled(device, ScreenAct.INSTALL)
    assert shown.installed is not None, shown.trouble


def test_a_crash_is_shown_and_reported(room: Room) -> None:
    owner = room.crew.client
    device = room.add(owner, "visor", Form.HEADSET)
    until(lambda: owner.screens.get(device).found, "it found the build", 60)
    room.settled(device, ScreenAct.INSTALL)
    room.played = Played("Peatlight", crashed="The title ended: it was ended by SIGSEGV.", picture=b"the last picture")
    shown = room.settled(device, ScreenAct.START)
    assert (shown.state, shown.trouble) == (ScreenState.CRASHED, "The title ended: it was ended by SIGSEGV.")
    kept = room.host.get(device).device.folder / "reports.json"
    assert '"session"' in kept.read_text()
    room.played = Played("")
    assert room.settled(device, ScreenAct.CLOSE).state is ScreenState.HOME
    with refuses("state.conflict"):
        owner.screens.act(device, ScreenAct.CLOSE)


def test_whose_they_are(room: Room, world: World) -> None:
    kaisa, onni = room.crew.join(KAISA), room.crew.join(ONNI, "Onni")
    device = room.add(kaisa, "pocket")
    with refuses("screen.unknown"):
        onni.screens.get(device)
    with world.client(Role.VIEWER) as viewer:
        assert viewer.screens.get(device).name == "pocket"
        with refuses("screen.unknown"):
            viewer.screens.act(device, ScreenAct.LOOK)
    assert [s.name for s in kaisa.screens.all().items] == ["pocket"]
    assert onni.screens.all().items == []
    for n in range(3):
        room.add(kaisa, f"more-{n}")
    with refuses("screen.own-many"):
        room.add(kaisa, "one-too-many")
    kaisa.testers.remove_own_device(device)
    with refuses("screen.unknown"):
        room.crew.client.screens.get(device)
    assert not list((room.host._folder).glob(f"{device}*")), "what it had is gone with it"


def test_the_host_starts_again_with_what_it_had(room: Room, tmp_path: Path) -> None:
    device = room.add(room.crew.client, "desk", Form.DESKTOP)
    until(lambda: room.crew.client.screens.get(device).found, "it found the build", 60)
    room.settled(device, ScreenAct.INSTALL)
    room.crew.client.screens.set(device, GOOD.model_copy(update={"room": 5_000_000}))
    room.host.end()
    (tmp_path / "screens/half-made").mkdir()
    again = ScreenHost(tmp_path / "screens", "http://rampa.test", room.play)
    shown = again.get(device).screen()
    assert (shown.room, shown.form) == (5_000_000, Form.DESKTOP)
    assert shown.installed
    again.end()


def test_only_who_has_the_secret_reaches_the_host(room: Room) -> None:
    at = room.crew.world.services.screens
    assert at is not None
    wrong = ScreenHostAddress(at.address.replace("a-secret", "b-secret"))
    with refuses("screen.address"):
        wrong.ask("GET", "/devices/00000000-0000-0000-0000-000000000000")
    for path in ("/devices/../x", "/devices", "/", "/devices/00000000-0000-0000-0000-000000000000/other"):
        with pytest.raises(NotFound):
            at.ask("GET", path)
    with refuses("screen.body"):
        at.ask("POST", "/devices", '{"name": "x"}')
    room.host.end()
    with refuses("screen.away"):
        ScreenHostAddress("http://127.0.0.1:9/secret").ask("GET", "/devices")
    with target(with_status(500)) as server, refuses("screen.failed"):
        ScreenHostAddress(server.address).ask("GET", "/devices")
    with refuses("settings.screens"):
        ScreenHostAddress("http://elsewhere.example/secret")


def test_a_host_has_room_for_so_many(room: Room, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("rampa.local.screen_host.MOST", 1)
    room.add(room.crew.client, "desk")
    with refuses("screen.many"):
        room.add(room.crew.client, "another")


def test_every_second_read_of_a_failing_network_breaks_off() -> None:
    turns = itertools.count(1)
    shop = Shop()
    shop.packs[b"p"] = b"lanterns"
    failing = Troubled(shop, Network.FAILING, turns)
    assert failing.read(b"p", 0, 4) == b"lant"
    with refuses("network.failing"):
        failing.read(b"p", 4, 4)
    assert Troubled(shop, Network.FAILING, turns).read(b"p", 4, 4) == b"erns"


def test_without_a_host(world: World, client: Client) -> None:
    assert client.screens.all().hosted is False
    with refuses("screen.none"):
        client.screens.get("00000000-0000-0000-0000-000000000000")
