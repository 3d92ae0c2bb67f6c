"""Crashes: reported with modules and addresses, looked up in the symbols that builds keep, counted as groups of one place."""

from __future__ import annotations

import datetime as dt
import shutil
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.client.builds.parts import BuildParts
from rampa.core.content.select.selection import ContentRules, Pattern, select
from rampa.core.health.comparison import Trouble
from rampa.core.health.crash import CrashModule, CrashReport
from rampa.core.profile.document import read_document
from rampa.core.profile.resolved import resolve
from rampa.operations.health import reports, stacks
from rampa.operations.health.pace import Pace
from rampa.schema.builds.builds import NewBuild
from rampa.schema.common import Role
from rampa.schema.crashes import crash_in
from rampa.schema.health import HealthEvent, HealthTaken
from tests.clock import Clock
from tests.conftest import Begun, World
from tests.crashing import Program, compile_program
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, import_title, make_folder
from tests.service.test_health import IDENTIFIER, TITLE, batch, place

pytestmark = pytest.mark.skipif(not shutil.which("cc") or not shutil.which("objcopy"), reason="no compiler")


@pytest.fixture(scope="module")
def programs(tmp_path_factory: pytest.TempPathFactory) -> list[Program]:
    """Two builds of the same fault: the second has a line more before it."""
    from demo.peatlight.sources import FOG_DEEP

    folder = tmp_path_factory.mktemp("programs")
    return [compile_program(folder / str(n), "\n" * n + FOG_DEEP) for n in range(2)]


@pytest.fixture
def ready(client: Client, begun: Begun, tmp_path: Path, programs: list[Program]) -> Client:
    """#1 and #2 keep symbols, and both were placed on studio."""

    def fill() -> None:
        add_key(client)
        import_title(client)
        source = make_folder(tmp_path / "source", 20_000)
        for number, program in enumerate(programs):
            keep(client, source, program.symbols, tmp_path / str(number))
            place(client, number + 1)

    begun(fill)
    reports._pace = Pace()
    return client


def keep(client: Client, source: Path, symbols: Path, state: Path) -> None:
    opened = client.builds.open(TITLE, NewBuild(profile="linux-release"))
    profile = resolve(read_document(DOCUMENT.encode()), "linux-release")
    parts = BuildParts(client, TITLE, opened, profile, select(source, profile.rules), state)
    bundle = parts.bundle(None)
    parts.sign(bundle)
    parts.send_content()
    kept = parts.send_symbols(select(symbols, ContentRules((Pattern("*", "all"),), ())))
    parts.complete(bundle, 1.0, symbols=kept)


def crashed(
    client: Client, build: int, report: CrashReport, device: int, at: dt.datetime, **more: object
) -> HealthTaken:
    event = HealthEvent(at=at, build=build, kind=Trouble.SESSION, bad=True, crash=crash_in(report))
    event = event.model_copy(update=more)
    return client.health.report(IDENTIFIER, batch(client, device, [event], form="visor-2", simulated=True))


def test_two_builds_and_one_place(world: World, ready: Client, programs: list[Program]) -> None:
    now = Clock(world).now
    for device in range(3):
        crashed(ready, 2, programs[1].crash(), device, now)
    assert ready.health.crashes(TITLE).waiting == 1, "one stack, however many devices have it"
    assert stacks.look_up(world.services) == 1
    (group,) = ready.health.crashes(TITLE).items
    assert (group.place, group.reason) == ("fog_at, src/fog.c:23", "SIGSEGV")
    assert (group.crashes, group.devices, group.simulated, group.first_build) == (3, 3, 3, "peatlight#2")
    assert [(f.name, f.crashes) for f in group.forms] == [("visor-2", 3)]
    shown = ready.health.get(TITLE, "studio", 2).crashes
    assert [(g.number, g.new) for g in shown] == [(1, True)], "no build before had it"
    # Then the build before has it, too: it is not new in this one.
    crashed(ready, 1, programs[0].crash(), 9, now)
    stacks.look_up(world.services)
    found = ready.health.crash(TITLE, 1)
    assert (found.first_build, found.place, found.crashes) == ("peatlight#1", "fog_at, src/fog.c:22", 4)
    assert [(b.name, b.crashes) for b in found.builds] == [("peatlight#2", 3), ("peatlight#1", 1)]
    assert [g.new for g in ready.health.crashes(TITLE, build=2).items] == [False]
    assert ready.health.crashes(TITLE, build=2, new=True).items == []
    stack = found.stacks[0]
    assert [p.function for f in stack.frames for p in f.places][:3] == ["fog_at", "night_shift", "main"]
    assert any(not f.places for f in stack.frames), "the system's library has no symbols here"
    assert found.bisects == []
    assert (found.before, found.commits_said) == ("", "There is no build of linux-release before peatlight#1.")


def test_a_worker_that_is_killed_in_between_counts_nothing_twice(
    world: World, ready: Client, programs: list[Program]
) -> None:
    now = Clock(world).now
    crashed(ready, 1, programs[0].crash(), 1, now)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(stacks, "place_of", lambda frames: 1 / 0)
        with pytest.raises(ZeroDivisionError):
            stacks.look_up(world.services)
    assert ready.health.crashes(TITLE).waiting == 1
    assert stacks.look_up(world.services) == 1
    assert stacks.look_up(world.services) == 0
    assert [g.crashes for g in ready.health.crashes(TITLE).items] == [1]


def test_what_no_symbols_are_kept_of(world: World, ready: Client) -> None:
    now = Clock(world).now
    unknown = CrashReport("SIGABRT", (CrashModule("driver.so", "ab" * 20), CrashModule("bare")), ((0, 0x77), (1, 5)))
    crashed(ready, 1, unknown, 1, now)
    stacks.look_up(world.services)
    (group,) = ready.health.crashes(TITLE, search="DRIVER").items
    assert group.place == "driver.so at 0x77"
    assert ready.health.crashes(TITLE, search="none of these").items == []


def test_symbols_that_end_their_reader(
    world: World, ready: Client, programs: list[Program], monkeypatch: pytest.MonkeyPatch
) -> None:
    """They cost the names, and nothing else."""
    from rampa.core.errors import Invalid

    def ended(*_: object) -> None:
        raise Invalid("reader.ended", "its reader fell over")

    monkeypatch.setattr("rampa.core.apart.Readers.read", ended)
    crashed(ready, 1, programs[0].crash(), 1, Clock(world).now)
    assert stacks.look_up(world.services) == 1
    assert ready.health.crashes(TITLE).items[0].place.startswith("peatlight at 0x")


def test_somebody_who_makes_stacks_up(world: World, ready: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    """So many are kept of a build; a crash more is a crash all the same, without its place."""
    monkeypatch.setattr(stacks, "MOST_STACKS", 5)
    now = Clock(world).now
    for number in range(8):
        made_up = CrashReport("SIGSEGV", (CrashModule("peatlight", "cd" * 20),), ((0, number),))
        assert crashed(ready, 1, made_up, number, now).taken == 1
    assert ready.health.crashes(TITLE).waiting == 5
    assert ready.health.get(TITLE, "studio", 1).devices == 8


def test_what_is_no_crash_is_said(world: World, ready: Client, programs: list[Program]) -> None:
    now, report = Clock(world).now, programs[0].crash()
    said = [
        crashed(ready, 1, report, 1, now, bad=False),
        crashed(ready, 1, report, 2, now, kind=Trouble.INSTALL),
        crashed(ready, 1, report, 3, now, crash=crash_in(report).model_copy(update={"modules": []})),
    ]
    assert [r.why for taken in said for r in taken.refused] == [
        "it has a crash, and neither a session nor a launch that ended badly",
        "it has a crash, and neither a session nor a launch that ended badly",
        "a frame of its crash names a module that is not listed",
    ]


def test_who_may_not_read_symbols_sees_that_it_crashed_and_not_where(
    world: World, ready: Client, programs: list[Program]
) -> None:
    crashed(ready, 1, programs[0].crash(), 1, Clock(world).now)
    stacks.look_up(world.services)
    with world.client(Role.VIEWER) as viewer:
        (group,) = viewer.health.get(TITLE, "studio", 1).crashes
        assert (group.crashes, group.place) == (1, "")
        with refuses("role.denied", "may not read symbols"):
            viewer.health.crashes(TITLE)
        with refuses("role.denied"):
            viewer.health.crash(TITLE, 1)
    with refuses("crash.unknown", "peatlight has no crash group 2"):
        ready.health.crash(TITLE, 2)


def test_a_long_list_in_pages(world: World, ready: Client) -> None:
    now = Clock(world).now
    for number in range(5):
        made_up = CrashReport("SIGSEGV", (CrashModule("peatlight", "cd" * 20),), ((0, number),))
        for device in range(number + 1):
            crashed(ready, 1, made_up, 10 * number + device, now)
    stacks.look_up(world.services)
    page = ready.health.crashes(TITLE, limit=2)
    assert [g.crashes for g in page.items] == [5, 4]
    assert page.next
    newest = ready.health.crashes(TITLE, sort="newest").items
    assert [g.number for g in newest] == [5, 4, 3, 2, 1]
