"""A title's own channels: added, renamed while devices follow them, put elsewhere, removed where nothing was lost by it."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.core.errors import RampaError
from rampa.core.placement.channels import Audience
from rampa.schema.channels import ChannelChange, NewChannel
from rampa.schema.devices import NewDevice
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import add_key, build, import_title, make_folder

TITLE = "peatlight"
FIRST = ["studio", "testers", "early", "public"]


@pytest.fixture
def ready(client: Client) -> Client:
    add_key(client)
    import_title(client)
    return client


def names(client: Client) -> list[str]:
    return [c.name for c in client.channels.all(TITLE)]


def test_added_last_behind_another_and_first(ready: Client) -> None:
    assert [c.name for c in ready.channels.add(TITLE, NewChannel(name="archive"))] == [*FIRST, "archive"]
    press = NewChannel(name="press", audience=Audience.FOR_EVERYBODY, after="testers")
    ready.channels.add(TITLE, press)
    ready.channels.add(TITLE, NewChannel(name="desk", after=""))
    assert names(ready) == ["desk", "studio", "testers", "press", "early", "public", "archive"]
    assert ready.channels.get(TITLE, "press").audience == Audience.FOR_EVERYBODY
    stations = [s.name for s in ready.titles.ramp(TITLE).stations if s.channel]
    assert stations == names(ready)
    for name, code in (("press", "channel.exists"), ("desk", "channel.exists")):
        with refuses(code):
            ready.channels.add(TITLE, NewChannel(name=name))
    with refuses("channel.after", where="after"):
        ready.channels.add(TITLE, NewChannel(name="x", after="nowhere"))
    assert {e.act for e in ready.events.all(title=TITLE)} >= {"channel.add"}


def test_moved(ready: Client) -> None:
    ready.channels.change(TITLE, "public", ChannelChange(after=""))
    assert names(ready) == ["public", "studio", "testers", "early"]
    ready.channels.change(TITLE, "public", ChannelChange(after="early"))
    assert names(ready) == FIRST
    with refuses("channel.after"):
        ready.channels.change(TITLE, "early", ChannelChange(after="nowhere"))


def test_renamed_while_a_device_follows_it(ready: Client, tmp_path: Path) -> None:
    """The device knows it by its old name, and believes no offer of another."""
    build(ready, make_folder(tmp_path / "source", 200_000), tmp_path / "state")
    seen = ready.channels.preview(TITLE, "testers", 1)
    ready.devices.register(TITLE, NewDevice(name="desk", channel="testers", platform="linux"))
    ready.channels.change(TITLE, "testers", ChannelChange(name="friends", audience=Audience.FOR_EVERYBODY))
    placed = ready.channels.place(TITLE, "testers", 1, seen.etag)
    assert placed.channel == "friends"
    assert [e.detail["channel"] for e in ready.events.all(act="build.place")] == ["friends"]
    for asked in ("testers", "friends"):
        assert ready.channels.offer(TITLE, asked, "linux").builds[0].build == 1
        assert ready.channels.get(TITLE, asked).name == "friends"
    with refuses("channel.former", "testers was the name of friends"):
        ready.channels.add(TITLE, NewChannel(name="testers"))
    with refuses("channel.former"):
        ready.channels.change(TITLE, "early", ChannelChange(name="testers"))
    # Its own old name it may have again.
    ready.channels.change(TITLE, "friends", ChannelChange(name="testers"))
    assert ready.channels.get(TITLE, "friends").former == ["friends"]
    assert (names(ready), ready.channels.get(TITLE, "testers").name) == (FIRST, "testers")


def test_removed_only_where_nothing_is_lost(ready: Client, tmp_path: Path) -> None:
    for name in ("press", "placed", "followed"):
        ready.channels.add(TITLE, NewChannel(name=name))
    build(ready, make_folder(tmp_path / "source", 200_000), tmp_path / "state")
    seen = ready.channels.preview(TITLE, "placed", 1)
    live = ready.channels.place(TITLE, "placed", 1, seen.etag)
    ready.rollouts.withdraw(TITLE, "placed", live.number)
    ready.devices.register(TITLE, NewDevice(name="desk", channel="followed", platform="linux"))
    for name, why in (("placed", "builds were placed"), ("followed", "devices follow"), ("public", "reviewers pass")):
        with refuses("channel.used", why):
            ready.channels.remove(TITLE, name)
    assert [c.name for c in ready.channels.remove(TITLE, "press")] == [*FIRST, "placed", "followed"]
    ready.channels.add(TITLE, NewChannel(name="press"))


def test_two_at_one_moment_get_two_places(ready: Client) -> None:
    def add(n: int) -> str:
        try:
            ready.channels.add(TITLE, NewChannel(name=f"own-{n % 3}", after="studio"))
        except RampaError as error:
            return error.code
        return ""

    with ThreadPoolExecutor(4) as threads:
        told = list(threads.map(add, range(6)))
    assert sorted(told) == ["", "", "", *["channel.exists"] * 3]
    assert (len(names(ready)), names(ready)[0], set(names(ready)[1:4])) == (7, "studio", {"own-0", "own-1", "own-2"})


def test_there_are_so_many_and_no_more(ready: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("rampa.operations.channels.channels.MOST", 5)
    ready.channels.add(TITLE, NewChannel(name="one"))
    with refuses("channel.many"):
        ready.channels.add(TITLE, NewChannel(name="more"))


@pytest.mark.parametrize("name", ["", "Press", "a b", "-x", "x" * 60, "é"])
def test_a_name_is_one(ready: Client, world: World, name: str) -> None:
    with refuses("request.invalid", "^name: "):
        ready.channels.add(TITLE, NewChannel.model_construct(name=name, audience=Audience.BY_INVITATION, after=None))
