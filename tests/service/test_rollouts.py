"""Rollouts: a share that grows by hand and by a plan, held, gone on with, rolled back; and what devices then do."""

from __future__ import annotations

import base64
import datetime as dt
import os
import signal
from pathlib import Path

import httpx
import pytest
from sqlalchemy import select

from rampa.client import Client
from rampa.client.devices.delivery import HttpDelivery, device_report
from rampa.core.errors import Unavailable
from rampa.core.health.comparison import Verdict
from rampa.core.placement.channels import Audience
from rampa.core.placement.share import reaches
from rampa.core.signing.offer import verify
from rampa.db import PlacementRow
from rampa.operations.base import begin
from rampa.operations.channels import rollouts
from rampa.schema.channels import ChannelChange
from rampa.schema.common import Role
from rampa.schema.devices import NewDevice
from rampa.schema.rollouts import Rollout
from rampa.standin.device import DeviceIdentity, SimulatedDevice
from tests.clock import Clock
from tests.conftest import Begun, World
from tests.nursery import run_module
from tests.refusals import refuses
from tests.samples import add_key, build, change_folder, import_title, make_folder

TITLE, ON = "peatlight", "studio"
PLAN = "1 %, 5 % after 40 min, 20 % after 4 h, all after 8 h"


@pytest.fixture
def ready(client: Client, begun: Begun, tmp_path: Path) -> Client:
    """#1 is live on studio for every device; #2 and #3 are ready."""

    def fill() -> None:
        add_key(client)
        import_title(client)
        folder = make_folder(tmp_path / "source", 200_000)
        build(client, folder, tmp_path / "state")
        place(client, 1)
        change_folder(folder)
        build(client, folder, tmp_path / "state")
        (folder / "data/fog.bin").write_bytes(b"fog" * 9000)
        build(client, folder, tmp_path / "state")

    begun(fill)
    return client


def place(client: Client, number: int, share: float | None = None, plan: str = "") -> Rollout:
    etag = client.channels.preview(TITLE, ON, number).etag
    placed = client.channels.place(TITLE, ON, number, etag, share, plan)
    return client.rollouts.get(TITLE, ON, placed.number)


def live(client: Client) -> list[tuple[int, str, float]]:
    found = sorted(client.channels.get(TITLE, ON).live, key=lambda p: -p.number)
    return [(p.build.number, p.state.value, p.share) for p in found]


def past(rollout: Rollout) -> list[tuple[str, float]]:
    return [(c.state.value, c.share) for c in rollout.changes]


class Desk:
    """A simulated device, and what it does at its next look."""

    def __init__(self, client: Client, folder: Path, number: str, keep: bool = False, platform: str = "linux") -> None:
        title = client.titles.get(TITLE)
        name = folder.name
        folder.mkdir()
        client.devices.register(TITLE, NewDevice(name=name, platform=platform, channel=ON, number=number))
        who = DeviceIdentity(
            name, TITLE, title.identifier, platform, ON, "", title.manifest_key, number, keep_previous=keep
        )
        self.client, self.device = client, SimulatedDevice.add(folder, who)

    def look(self) -> int:
        """Bytes that travelled for the build itself."""
        who = self.device.identity
        signed = base64.b64decode(self.client.channels.offer(TITLE, ON, who.platform).signed)
        number = self.device.wanted(signed).build
        delivery = HttpDelivery(self.client, TITLE, number)
        report = self.device.update(signed, self.client.builds.statement(TITLE, number), delivery, lambda _: None)
        self.client.devices.report(TITLE, who.name, device_report(number, report))
        return report.downloaded

    @property
    def has(self) -> int | None:
        return self.device.installed_build()


def desks(client: Client, root: Path, share: int, keep: bool = False) -> tuple[Desk, Desk]:
    """One that is in the newest rollout's share (per mille), and one that is not."""
    offer = client.channels.offer(TITLE, ON, "linux")
    key = bytes.fromhex(client.titles.get(TITLE).manifest_key)
    rollout = verify(base64.b64decode(offer.signed), key).builds[0].rollout
    numbers = [f"{n:032x}" for n in range(2000)]
    inside = next(n for n in numbers if reaches(rollout, n, share))
    outside = next(n for n in numbers if not reaches(rollout, n, share))
    return Desk(client, root / "in", inside, keep), Desk(client, root / "out", outside, keep)


def test_it_grows_by_hand_beside_what_is_whole(ready: Client, tmp_path: Path) -> None:
    placed = place(ready, 2, 5)
    assert live(ready) == [(2, "growing", 5.0), (1, "whole", 100.0)]
    inside, outside = desks(ready, tmp_path, 50)
    for desk, has in ((inside, 2), (outside, 1)):
        desk.look()
        assert desk.has == has
    with refuses("share.falling", "has 5 % already"):
        ready.rollouts.grow(TITLE, ON, placed.number, 5)
    for share in (101, -1, 5.55):
        with refuses("share.fine" if share == 5.55 else "share.outside"):
            ready.rollouts.grow(TITLE, ON, placed.number, share)
    done = ready.rollouts.grow(TITLE, ON, placed.number, 100)
    assert past(done) == [("placed", 0), ("growing", 5), ("whole", 100)]
    assert live(ready) == [(2, "whole", 100.0)]
    outside.look()
    assert outside.has == 2
    assert done.allowed_actions[0].name == "grow"
    assert not done.allowed_actions[0].possible
    sentences = [e.sentence for e in ready.events.all(act="placement.")]
    assert "placed peatlight#2 on studio for every device, 5 % before" in sentences


def test_it_can_stand_there_before_anybody_gets_it(ready: Client, tmp_path: Path) -> None:
    placed = place(ready, 2, 0)
    assert placed.state == "placed"
    assert [b.build for b in ready.channels.offer(TITLE, ON, "linux").builds] == [1]
    with refuses("state.conflict", "is placed: hold is not possible now"):
        ready.rollouts.hold(TITLE, ON, placed.number)
    assert ready.rollouts.grow(TITLE, ON, placed.number, 0.1).state == "growing"


def test_held_nobody_else_gets_it_until_it_goes_on(ready: Client, tmp_path: Path) -> None:
    placed = place(ready, 2, 50)
    inside, _ = desks(ready, tmp_path, 500)
    held = ready.rollouts.hold(TITLE, ON, placed.number, "crashes on\n one kind of desk")
    assert (held.state, held.held_why) == ("held", "crashes on one kind of desk")
    inside.look()
    assert inside.has == 1
    with refuses("state.conflict", "is held: grow is not possible"):
        ready.rollouts.grow(TITLE, ON, placed.number, 60)
    with refuses("rollout.state", "is held: no plan grows it"):
        ready.rollouts.plan(TITLE, ON, placed.number, PLAN)
    gone_on = ready.rollouts.go_on(TITLE, ON, placed.number)
    assert (gone_on.state, gone_on.share, gone_on.held_why) == ("growing", 50, "")
    assert gone_on.changes[-2].why == "crashes on one kind of desk"
    inside.look()
    assert inside.has == 2


def test_another_build_ends_what_grew_and_its_devices_wait(ready: Client, tmp_path: Path) -> None:
    place(ready, 2, 50)
    inside, _ = desks(ready, tmp_path, 500)
    inside.look()
    place(ready, 3, 0.1)
    assert live(ready) == [(3, "growing", 0.1), (1, "whole", 100.0)]
    with refuses("offer.nothing", "nothing newer"):
        inside.look()
    assert inside.has == 2
    assert [p.state.value for p in ready.channels.get(TITLE, ON).history] == ["growing", "superseded", "whole"]


def test_the_ramp_says_how_far_each_is(ready: Client) -> None:
    held = place(ready, 2, 20).number
    ready.rollouts.hold(TITLE, ON, held, "It stutters.")
    builds = next(row.builds for row in ready.titles.ramp(TITLE).rows if row.profile == "linux-release")
    places = {b.number: [(p.channel, p.state.value, p.share, p.rest) for p in b.places] for b in builds}
    assert places == {3: [], 2: [(ON, "held", 20, False)], 1: [(ON, "whole", 100, True)]}


def test_a_plan_is_followed_step_by_step_and_no_step_twice(world: World, ready: Client) -> None:
    clock = Clock(world)
    placed = place(ready, 2, plan=PLAN)
    assert (placed.share, placed.next_share) == (1, 5)
    assert placed.next_at == clock.now + dt.timedelta(minutes=40)
    seen = []
    for minutes in (10, 29, 2, 200, 0, 300):
        clock.pass_(minutes=minutes)
        seen.append((rollouts.grow_due(world.services), ready.rollouts.get(TITLE, ON, placed.number).share))
    assert seen == [(0, 1), (0, 1), (1, 5), (1, 20), (0, 20), (1, 100)]
    done = ready.rollouts.get(TITLE, ON, placed.number)
    assert past(done) == [("placed", 0), ("growing", 1), ("growing", 5), ("growing", 20), ("whole", 100)]
    assert [c.by for c in done.changes[2:]] == ["the plan"] * 3
    assert done.next_at is None
    assert live(ready) == [(2, "whole", 100.0)]


def test_a_service_that_stood_still_catches_up_one_step_at_a_time(world: World, ready: Client) -> None:
    """Hours off are no reason to give a build to everybody at once."""
    clock = Clock(world)
    placed = place(ready, 2, plan=PLAN)
    clock.pass_(hours=9)
    assert [rollouts.grow_due(world.services) for _ in range(3)] == [1, 0, 0]
    found = ready.rollouts.get(TITLE, ON, placed.number)
    assert (found.share, found.next_at) == (5, clock.now + dt.timedelta(minutes=200))


def test_a_plan_that_waits_for_health(world: World, ready: Client) -> None:
    """Too little to tell is not in order: the step that is due stays where it is until devices have said enough."""
    clock = Clock(world)
    number = place(ready, 2, plan=f"{PLAN}, only while health is in order").number
    clock.pass_(hours=5)
    assert rollouts.grow_due(world.services) == 0
    waiting = ready.rollouts.get(TITLE, ON, number)
    assert (waiting.share, waiting.next_share, waiting.waits) == (1, 5, "health is too little to tell")
    (cell,) = [b for t in ready.board.get().titles for r in t.lines for c in r.cells for b in c.builds if b.build == 2]
    assert cell.waits == "health is too little to tell"
    with world.services.db.transaction() as session:
        session.scalars(select(PlacementRow).where(PlacementRow.number == number)).one().verdict = Verdict.IN_ORDER
    assert rollouts.grow_due(world.services) == 1
    grown = ready.rollouts.get(TITLE, ON, number)
    assert (grown.share, grown.waits, grown.plan) == (5, "", f"{PLAN}, only while health is in order")


def test_time_that_it_was_held_does_not_count(world: World, ready: Client) -> None:
    clock = Clock(world)
    placed = place(ready, 2, plan=PLAN)
    clock.pass_(minutes=30)
    ready.rollouts.hold(TITLE, ON, placed.number)
    clock.pass_(hours=10)
    assert rollouts.grow_due(world.services) == 0
    assert ready.rollouts.get(TITLE, ON, placed.number).next_at is None
    assert ready.rollouts.go_on(TITLE, ON, placed.number).next_at == clock.now + dt.timedelta(minutes=10)
    clock.pass_(minutes=10)
    assert rollouts.grow_due(world.services) == 1


def test_a_plan_is_changed_and_ended_while_it_grows(world: World, ready: Client) -> None:
    clock = Clock(world)
    placed = place(ready, 2, 10)
    planned = ready.rollouts.plan(TITLE, ON, placed.number, "5 % after 1 h, 30 % after 3 h, all after 1 day")
    assert (planned.share, planned.next_share, planned.next_at) == (10, 30, clock.now + dt.timedelta(hours=2))
    assert ready.rollouts.plan(TITLE, ON, placed.number, "").next_at is None
    clock.pass_(hours=20)
    assert rollouts.grow_due(world.services) == 0
    assert ready.rollouts.plan(TITLE, ON, placed.number, "all").state == "whole"
    with refuses("rollout.state", "is whole: no plan grows it"):
        ready.rollouts.plan(TITLE, ON, placed.number, PLAN)
    with refuses("plan.impossible", "never ends"):
        place(ready, 3, plan="5 %")
    with refuses("plan.share"):
        place(ready, 3, 5, plan=PLAN)
    assert live(ready) == [(2, "whole", 100.0)]


@pytest.mark.parametrize("keep", [False, True], ids=["downloading", "from what was kept"])
def test_rolling_back_reaches_every_device_at_its_next_look(ready: Client, tmp_path: Path, keep: bool) -> None:
    desk = Desk(ready, tmp_path / "desk", "ab" * 16, keep)
    desk.look()
    place(ready, 2)
    assert desk.look() > 0
    place(ready, 3, 0.1)
    seen = ready.rollouts.preview_roll_back(TITLE, ON, 1)
    assert [b.number for b in seen.replaces] == [2, 3]
    assert [(d.build.number, d.devices) for d in seen.devices] == [(2, 1)]
    assert not seen.obstacle
    assert not seen.new_code
    done = ready.rollouts.roll_back(TITLE, ON, 1, seen.etag)
    assert (done.build.number, done.back, done.share) == (1, True, 100)
    assert live(ready) == [(1, "whole", 100.0)]
    travelled = desk.look()
    assert desk.has == 1
    assert (travelled == 0) == keep
    assert travelled <= seen.devices[0].update.download
    assert desk.device.verify(lambda _: None) == []
    place(ready, 3)
    desk.look()
    assert desk.has == 3
    assert "rolled studio back to peatlight#1, version 1.4.0" in [e.sentence for e in ready.events.all(act="channel.")]


def test_a_kept_build_is_taken_up_without_any_network(ready: Client, tmp_path: Path) -> None:
    desk = Desk(ready, tmp_path / "desk", "ab" * 16, keep=True)
    desk.look()
    place(ready, 2)
    desk.look()
    ready.rollouts.roll_back(TITLE, ON, 1, ready.rollouts.preview_roll_back(TITLE, ON, 1).etag)

    class Gone:
        def __getattr__(self, name: str) -> object:
            raise Unavailable("network.gone", f"nothing answers: {name}")

    signed = base64.b64decode(ready.channels.offer(TITLE, ON, "linux").signed)
    desk.device.update(signed, ready.builds.statement(TITLE, 1), Gone(), lambda _: None)  # type: ignore[arg-type]
    assert desk.has == 1


def test_where_there_is_no_way_back(ready: Client) -> None:
    def back(number: int) -> None:
        ready.rollouts.roll_back(TITLE, ON, number, ready.rollouts.preview_roll_back(TITLE, ON, number).etag)

    assert ready.rollouts.preview_roll_back(TITLE, ON, 1).obstacle == "peatlight#1 is what is live there"
    with refuses("rollout.no-way-back", "is what is live there"):
        back(1)
    with refuses("rollout.never-placed", "peatlight#3 was never placed there"):
        back(3)
    with refuses("build.unknown"):
        back(9)
    seen = ready.rollouts.preview_roll_back(TITLE, ON, 1)
    place(ready, 2)
    with refuses("channel.moved"):
        ready.rollouts.roll_back(TITLE, ON, 1, seen.etag)
    ready.rollouts.withdraw(TITLE, ON, 2)
    with refuses("rollout.no-way-back", "nothing is live there: place peatlight#1"):
        back(1)


def test_rolling_back_to_what_was_removed_says_so(world: World, ready: Client) -> None:
    place(ready, 2)
    with begin(world.services) as uow:
        row = uow.session.scalar(select(PlacementRow).where(PlacementRow.number == 1))
        assert row is not None
        row.build.state = type(row.build.state)("removed")
    seen = ready.rollouts.preview_roll_back(TITLE, ON, 1)
    assert "its content is not kept any more" in seen.obstacle
    with refuses("build.gone", "is removed"):
        ready.rollouts.roll_back(TITLE, ON, 1, seen.etag)
    assert live(ready) == [(2, "whole", 100.0)]


def test_what_is_whole_is_withdrawn_while_another_grows(ready: Client, tmp_path: Path) -> None:
    place(ready, 2, 50)
    inside, outside = desks(ready, tmp_path, 500)
    ready.rollouts.withdraw(TITLE, ON, 1)
    inside.look()
    assert inside.has == 2
    with refuses("offer.nothing", "nothing yet"):
        outside.look()
    with refuses("placement.blocked", "Grow it: rampa rollout grow"):
        place(ready, 2)


@pytest.mark.parametrize("role", [Role.VIEWER, Role.REVIEWER])
def test_who_may_not(world: World, ready: Client, role: Role) -> None:
    placed = place(ready, 2, 50)
    with world.client(role) as other:
        for act in (
            lambda: other.rollouts.grow(TITLE, ON, placed.number, 100),
            lambda: other.rollouts.hold(TITLE, ON, placed.number),
            lambda: other.rollouts.plan(TITLE, ON, placed.number, PLAN),
            lambda: other.rollouts.roll_back(TITLE, ON, 1, "1"),
        ):
            with refuses("role.denied"):
                act()
    assert live(ready)[0] == (2, "growing", 50.0)


def ask(world: World, channel: str, **headers: str) -> httpx.Response:
    transport = httpx.WSGITransport(app=world.app)  # type: ignore[arg-type]
    with httpx.Client(transport=transport, base_url="http://rampa.test") as anybody:
        return anybody.get(f"/api/v1/offers/example.quillback.peatlight/{channel}/linux", headers=headers)


def test_a_channel_for_everybody_answers_everybody_and_no_other_does(world: World, ready: Client) -> None:
    for name in ("studio", "early", "nothing"):
        answer = ask(world, name)
        assert (answer.status_code, answer.json()["type"].rsplit("/", 1)[-1]) == (404, "offer.none")
    ready.channels.change(TITLE, "studio", ChannelChange(audience=Audience.FOR_EVERYBODY))
    place(ready, 2, 20)
    answer = ask(world, "studio")
    assert answer.headers["Cache-Control"] == "public, max-age=5"
    key = bytes.fromhex(ready.titles.get(TITLE).manifest_key)
    assert [(b.build, b.share) for b in verify(answer.content, key).builds] == [(2, 200), (1, 1000)]
    # The same bytes for everybody, until something changes: who has them already is told so.
    assert ask(world, "studio").content == answer.content
    again = ask(world, "studio", **{"If-None-Match": answer.headers["ETag"]})
    assert (again.status_code, again.content) == (304, b"")
    ready.rollouts.hold(TITLE, ON, 2)
    assert verify(ask(world, "studio").content, key).builds[0].held


def grown_and_killed(world: World, folder: Path, now: dt.datetime, after: int) -> int:
    """A worker that takes due steps, and is killed before its statement or commit number `after`; its exit code."""
    words = ["tests.killed_worker", world.services.db.url, str(folder / "store"), now.isoformat(), str(after)]
    return run_module(words, dict(os.environ), folder).returncode


def test_killed_at_any_moment_it_goes_on_where_it_was(world: World, ready: Client, tmp_path: Path) -> None:
    clock = Clock(world)
    placed = place(ready, 2, plan=PLAN)
    for share, hours in ((5, 1), (20, 4), (100, 4)):
        clock.pass_(hours=hours)
        before = ready.rollouts.get(TITLE, ON, placed.number)
        after = 1
        while grown_and_killed(world, tmp_path, clock.now, after) == -signal.SIGKILL:
            found = ready.rollouts.get(TITLE, ON, placed.number)
            assert found == before, f"half a step, killed before {after}"
            after += 1
        assert after > 8, "it was killed at many moments"
        assert ready.rollouts.get(TITLE, ON, placed.number).share == share
    done = ready.rollouts.get(TITLE, ON, placed.number)
    assert past(done) == [("placed", 0), ("growing", 1), ("growing", 5), ("growing", 20), ("whole", 100)]
    assert live(ready) == [(2, "whole", 100.0)]
