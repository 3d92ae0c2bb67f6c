"""A mirror in a thief's hands, or whoever sits between: it has the files, it answers as it likes, and it has none of the keys.

Whatever it does, a device installs what its channel has, or refuses and keeps what it has.
"""

from __future__ import annotations

import datetime as dt
import json
import os
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import httpx
import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from tuf.api.metadata import Metadata, Root, Timestamp

from rampa.client import Client
from rampa.core.errors import Damaged, NotFound, Refused, Unavailable
from rampa.core.trust.issue import Issued, issue
from rampa.core.trust.keys import signer_of
from rampa.core.trust.terms import ONLINE
from rampa.operations.delivery.publish import publish_due
from rampa.standin.device import SimulatedDevice
from rampa.standin.trusted import TrustedDevice
from tests.conftest import Begun, World
from tests.delivering import (
    HOLDERS,
    IDENTIFIER,
    TITLE,
    MirrorServer,
    answered,
    fill,
    hold_ceremony,
    install,
    new_device,
    origins,
    place,
    update_placed,
    written,
)
from tests.refusals import refuses

THIEF = Ed25519PrivateKey.from_private_bytes(bytes(range(100, 132)))


@dataclass
class Theft:
    """`old` and `new`: the delivery before and after an update; a device that has seen the old one, and one that saw nothing."""

    old: MirrorServer
    new: MirrorServer
    device: TrustedDevice
    fresh: Callable[[], TrustedDevice]

    def update(self, server: MirrorServer, now: dt.datetime | None = None) -> int:
        return install(self.device, origins({"mirror.test": server}), now)


@pytest.fixture
def theft(world: World, client: Client, begun: Begun, tmp_path: Path) -> Theft:
    def stolen() -> None:
        fill(client, world.services, tmp_path)
        device = new_device(client, tmp_path / "desk")
        written(client, tmp_path / "old")
        install(device, origins({"mirror.test": MirrorServer(tmp_path / "old")}))
        update_placed(client, world.services)
        shutil.copytree(tmp_path / "old", tmp_path / "new")
        written(client, tmp_path / "new")

    begun(stolen)
    made = iter(range(1000))
    return Theft(
        MirrorServer(tmp_path / "old"),
        MirrorServer(tmp_path / "new"),
        TrustedDevice(SimulatedDevice(tmp_path / "desk")),
        lambda: new_device(client, tmp_path / f"fresh-{next(made)}"),
    )


def test_the_honest_one_is_followed(theft: Theft) -> None:
    assert theft.update(theft.new) == 2


def test_an_old_state_is_not_taken_again(theft: Theft) -> None:
    theft.update(theft.new)
    with refuses("trust.older", "older than what this device saw"):
        theft.update(theft.old)
    assert theft.device.device.installed_build() == 2


def test_a_state_that_stands_still_is_noticed(theft: Theft) -> None:
    later = dt.datetime.now(dt.UTC) + dt.timedelta(days=3)
    with refuses("trust.expired", "over"):
        theft.update(theft.old, later)


def test_a_clock_that_stands_in_1970_does_not_open_the_door(theft: Theft) -> None:
    theft.update(theft.new)
    with refuses("trust.older"):
        theft.update(theft.old, dt.datetime(1970, 1, 1, tzinfo=dt.UTC))
    assert theft.update(theft.new, dt.datetime(1970, 1, 1, tzinfo=dt.UTC)) == 2


def test_old_and_new_are_not_mixed(theft: Theft) -> None:
    """A timestamp of today, a channel's metadata of yesterday under today's name."""

    def mixed(name: str, request: httpx.Request) -> httpx.Response | None:
        if name.startswith("metadata/2.channel-"):
            return theft.old.honest(name.replace("/2.", "/1."), request)
        return None

    theft.new.answer = mixed
    with refuses("trust.damaged"):
        theft.update(theft.new)
    assert theft.device.device.installed_build() == 1


def test_another_channel_s_metadata_does_not_pass_for_this_one_s(theft: Theft, client: Client, world: World) -> None:
    """Both are signed by the same key."""
    http = world.app.test_client()  # type: ignore[attr-defined]
    closed = client.delivery.closed_address(TITLE, "testers").address.removeprefix("http://rampa.test")
    snapshot = json.loads(theft.new.honest("metadata/2.snapshot.json", httpx.Request("GET", "http://m.test")).read())
    roles = [r.removesuffix(".json") for r in snapshot["signed"]["meta"] if r.startswith("channel-")]
    others = {r: http.get(f"{closed}/{IDENTIFIER}/metadata/1.{r}.json") for r in roles}
    (testers,) = (a.data for a in others.values() if a.status_code == 200)

    def swapped(name: str, request: httpx.Request) -> httpx.Response | None:
        return answered(testers, request) if "channel-" in name and name.startswith("metadata/") else None

    theft.new.answer = swapped
    with refuses("trust.damaged"):
        theft.update(theft.new)


def test_a_thief_s_own_keys_sign_nothing(theft: Theft) -> None:
    """All of it signed again, as it is, by other keys; also with a root that names them."""
    state = {}
    for role in ("targets", "snapshot", "timestamp"):
        state[role] = Issued(7, dt.datetime.now(dt.UTC), b"")
    forged = issue({}, {}, dict.fromkeys(ONLINE, THIEF), dt.datetime.now(dt.UTC))

    def answer(name: str, request: httpx.Request) -> httpx.Response | None:
        role = name.removeprefix("metadata/").removesuffix(".json").rpartition(".")[2]
        return answered(forged[role].data, request) if role in state else None

    theft.new.answer = answer
    with refuses("trust.signatures", "not signed by enough"):
        theft.update(theft.new)

    root = Metadata[Root].from_bytes(
        theft.new.honest("metadata/1.root.json", httpx.Request("GET", "http://m.test")).read()
    )
    root.signed.version = 2

    def with_root(name: str, request: httpx.Request) -> httpx.Response | None:
        return answered(root.to_bytes(), request) if name == "metadata/2.root.json" else answer(name, request)

    theft.new.answer = with_root
    with refuses("trust.signatures"):
        theft.update(theft.new)


def test_one_holder_of_three_makes_no_root(theft: Theft) -> None:
    first = theft.new.honest("metadata/1.root.json", httpx.Request("GET", "http://m.test")).read()
    root = Metadata[Root].from_bytes(first)
    root.signed.version = 2
    root.signed.roles["root"].threshold = 1
    root.sign(signer_of(HOLDERS["Vendla"]))
    theft.new.answer = lambda name, request: (
        answered(root.to_bytes(), request) if name == "metadata/2.root.json" else None
    )
    with refuses("trust.signatures"):
        theft.update(theft.new)
    assert theft.device.start().root == first  # type: ignore[union-attr]


def test_data_without_an_end_is_cut_off(theft: Theft) -> None:
    sent = 0

    def endless(name: str, request: httpx.Request) -> httpx.Response | None:
        def forever() -> Iterator[bytes]:
            nonlocal sent
            while sent < 1 << 30:
                sent += 1 << 16
                yield bytes(1 << 16)

        return httpx.Response(206 if "Range" in request.headers else 200, content=forever())

    for at in ("metadata/timestamp.json", "metadata/2.root.json", "metadata/2.snapshot", "files/", "packs/"):
        sent = 0
        theft.new.answer = lambda name, request, at=at: endless(name, request) if name.startswith(at) else None  # type: ignore[misc]
        with pytest.raises((Damaged, Refused, Unavailable)):
            install(theft.fresh(), origins({"mirror.test": theft.new}))
        assert sent < 8 << 20, at


def test_a_server_that_dribbles_is_left(theft: Theft) -> None:
    """Byte by byte, each in time: the next origin is asked, and what came of it is not asked for again."""
    clock = Ticking()

    def slow(name: str, request: httpx.Request) -> httpx.Response | None:
        data = theft.new.honest(name, request).read()

        def dribble() -> Iterator[bytes]:
            for byte in data:
                clock.now += 0.01
                yield bytes((byte,))

        return httpx.Response(206 if "Range" in request.headers else 200, content=dribble())

    told: list[str] = []
    dribbling = MirrorServer(theft.new.folder, slow)
    places = origins({"slow.test": dribbling, "good.test": theft.new}, told=told.append, clock=clock)
    assert install(theft.fresh(), places) == 2
    assert "too slowly" in told[0]
    assert len(dribbling.asked) < 6, "it rests after it failed"


class Ticking:
    """A clock that goes on as a test says."""

    def __init__(self) -> None:
        self.now = 0.0

    def seconds(self) -> float:
        return self.now

    def sleep(self, seconds: float) -> None:
        self.now += seconds


def test_a_range_goes_on_at_the_next_origin_where_it_broke_off(theft: Theft) -> None:
    spans: list[str] = []

    def broken(name: str, request: httpx.Request) -> httpx.Response | None:
        if not name.startswith("packs/"):
            return None
        data = theft.new.honest(name, request).read()

        def half() -> Iterator[bytes]:
            yield data[: len(data) // 2]
            raise httpx.ReadError("the line is cut")

        return httpx.Response(206, content=half())

    def good(name: str, request: httpx.Request) -> httpx.Response | None:
        if name.startswith("packs/"):
            spans.append(request.headers["Range"])
        return None

    first, second = MirrorServer(theft.new.folder, broken), MirrorServer(theft.new.folder, good)
    asked: list[str] = []
    first.answer = lambda name, request: (asked.append(request.headers.get("Range", "")), broken(name, request))[1]
    assert install(theft.fresh(), origins({"cut.test": first, "good.test": second})) == 2
    begun = next(a for a in asked if a)
    end = begun.partition("-")[2]
    gone_on = next(s for s in spans if s.endswith(f"-{end}"))
    assert int(gone_on.removeprefix("bytes=").partition("-")[0]) > int(begun.removeprefix("bytes=").partition("-")[0])


def test_a_stolen_mirror_only_costs_the_way_to_the_next(theft: Theft) -> None:
    stolen = MirrorServer(theft.new.folder, lambda name, request: answered(b"nothing good", request))
    assert install(theft.device, origins({"stolen.test": stolen, "good.test": theft.new})) == 2


def test_a_swapped_statement_is_refused(theft: Theft) -> None:
    """The channel has 2; the mirror hands out the statement of 1, which the title's key signed as well."""
    line = theft.device.look(origins({"mirror.test": theft.old}), dt.datetime.now(dt.UTC))
    old = line.builds[0].statement.digest
    line = theft.device.look(origins({"mirror.test": theft.new}), dt.datetime.now(dt.UTC))
    new = line.builds[0].statement.digest
    theft.new.answer = lambda name, request: (
        theft.old.honest(f"files/{old}", request) if name == f"files/{new}" else None
    )
    with pytest.raises(Damaged):
        theft.update(theft.new)
    assert theft.device.device.installed_build() == 1


def spoilt(data: bytes, other: bytes) -> dict[str, bytes | None]:
    """Ways to change one file."""
    middle = len(data) // 2
    return {
        "gone": None,
        "empty": b"",
        "cut": data[:-1],
        "half": data[:middle],
        "longer": data + b"x",
        "bit": data[:middle] + bytes((data[middle] ^ 1,)) + data[middle + 1 :],
        "last-bit": data[:-1] + bytes((data[-1] ^ 0x80,)),
        "zeros": bytes(len(data)),
        "noise": os.urandom(len(data)),
        "other": other,
        "json": b"{}",
        "deep": b"[" * 5000,
    }


def test_every_file_in_every_way(theft: Theft, tmp_path: Path) -> None:
    """Each file of the delivery, changed in each way, before a device that updates: it has the build whole, or the one before."""
    root = theft.new.folder / IDENTIFIER
    names = sorted(str(p.relative_to(root)) for p in root.rglob("*") if p.is_file() and not p.name.startswith("."))
    names.remove("written.json")
    kinds: dict[str, list[str]] = {}
    for name in names:
        kinds.setdefault(name.partition("/")[0] + name.rpartition(".")[2], []).append(name)
    refused = taken = 0
    for name in names:
        data = (root / name).read_bytes()
        alike = kinds[name.partition("/")[0] + name.rpartition(".")[2]]
        other = (root / alike[(alike.index(name) + 1) % len(alike)]).read_bytes()
        for way, said in spoilt(data, other).items():
            shutil.rmtree(tmp_path / "copy", ignore_errors=True)
            shutil.copytree(tmp_path / "desk", tmp_path / "copy", symlinks=True)
            device = copied(tmp_path / "copy")
            mirror = MirrorServer(theft.new.folder, changed(name, said))
            try:
                assert install(device, origins({"mirror.test": mirror})) == 2, (name, way)
                taken += 1
            except (Damaged, Refused, Unavailable, NotFound):
                assert device.device.verify(lambda _: None) == []
                assert device.device.installed_build() == 1
                refused += 1
    assert refused > 50, "most of it is needed"
    assert taken > 50, "what this device does not ask for cannot harm it"


def copied(folder: Path) -> TrustedDevice:
    return TrustedDevice(SimulatedDevice(folder))


def changed(name: str, said: bytes | None) -> Callable[[str, httpx.Request], httpx.Response | None]:
    def answer(asked: str, request: httpx.Request) -> httpx.Response | None:
        if asked != name:
            return None
        return httpx.Response(404) if said is None else answered(said, request)

    return answer


def test_a_key_that_was_replaced_signs_nothing_any_more(
    theft: Theft, client: Client, world: World, tmp_path: Path
) -> None:
    """The thief has the keys of before a ceremony: a device that saw the new root takes nothing of theirs."""
    hold_ceremony(client, new_keys=True)
    place(client, 3)
    publish_due(world.services)
    written(client, tmp_path / "third")
    assert theft.update(MirrorServer(tmp_path / "third")) == 3
    stamp = (theft.new.folder / IDENTIFIER / "metadata/timestamp.json").read_bytes()
    assert Metadata[Timestamp].from_bytes(stamp).signed.version == 2
    third = MirrorServer(tmp_path / "third")
    third.answer = lambda name, request: answered(stamp, request) if name.endswith("timestamp.json") else None
    with refuses("trust.signatures"):
        theft.update(third)
