"""A mirror, or whoever sits between, that has a device install what its channel does not offer: a build that was never placed,
another channel's, an older one, an offer from before.

Before: a device took any build that the title's key had signed, placed or not.
"""

from __future__ import annotations

import base64
import datetime as dt
import json
from collections.abc import Callable
from pathlib import Path

import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.client import Client
from rampa.client.devices.delivery import HttpDelivery
from rampa.core.placement.share import ALL, OfferedBuild
from rampa.core.signing import dsse, offer
from rampa.standin.device import DeviceIdentity, SimulatedDevice
from tests.conftest import Begun
from tests.refusals import refuses
from tests.samples import add_key, build, change_folder, import_title, make_folder

TITLE = "peatlight"
WRONG = Ed25519PrivateKey.from_private_bytes(bytes(32))


@pytest.fixture
def device(client: Client, begun: Begun, tmp_path: Path) -> SimulatedDevice:
    """Follows `studio`, where #1 is; #2 is on `testers`, #3 on no channel."""

    def fill() -> None:
        add_key(client)
        import_title(client)
        folder = make_folder(tmp_path / "source", 200_000)
        build(client, folder, tmp_path / "state")
        change_folder(folder)
        build(client, folder, tmp_path / "state")
        (folder / "data/fog.bin").write_bytes(b"fog" * 9000)
        build(client, folder, tmp_path / "state")
        place(client, "studio", 1)
        place(client, "testers", 2)

    begun(fill)
    found = client.titles.get(TITLE)
    who = DeviceIdentity("desk", TITLE, found.identifier, "linux", "studio", "http://127.0.0.1:1", found.manifest_key)
    (tmp_path / "desk").mkdir()
    return SimulatedDevice.add(tmp_path / "desk", who)


def place(client: Client, channel: str, number: int) -> None:
    client.channels.place(TITLE, channel, number, client.channels.preview(TITLE, channel, number).etag)


def offered(client: Client, channel: str = "studio") -> bytes:
    return base64.b64decode(client.channels.offer(TITLE, channel, "linux").signed)


@pytest.fixture
def install(client: Client, device: SimulatedDevice) -> Callable[..., int | None]:
    def by(signed: bytes, number: int, now: dt.datetime | None = None) -> int | None:
        statement = client.builds.statement(TITLE, number)
        device.update(signed, statement, HttpDelivery(client, TITLE, number), lambda _: None, now)
        return device.installed_build()

    return by


def test_what_is_offered_is_installed(client: Client, install: Callable[..., int]) -> None:
    assert install(offered(client), 1) == 1
    place(client, "studio", 3)
    assert install(offered(client), 3) == 3


def test_a_build_that_no_line_offers(client: Client, device: SimulatedDevice, install: Callable[..., int]) -> None:
    """Its statement is signed by the right key; the offer is of another build."""
    for number in (2, 3):
        with refuses("offer.statement", "offer is for build 1"):
            install(offered(client), number)
    assert device.installed() is None


def test_an_offer_of_another_channel(client: Client, device: SimulatedDevice, install: Callable[..., int]) -> None:
    with refuses("offer.other", "on testers"):
        install(offered(client, "testers"), 2)
    assert device.installed() is None


def test_an_offer_from_before_is_not_taken_again(
    client: Client, device: SimulatedDevice, install: Callable[..., int]
) -> None:
    """Held back while a worse build was live, then sent to a device that has the better one."""
    old = offered(client)
    place(client, "studio", 3)
    assert install(offered(client), 3) == 3
    with refuses("offer.older", "has seen [0-9]+ already"):
        install(old, 1)
    assert device.installed_build() == 3


@pytest.mark.parametrize("hours", [25, -1])
def test_an_offer_ends(client: Client, install: Callable[..., int], hours: int) -> None:
    with refuses("offer.expired", "the offer holds from"):
        install(offered(client), 1, dt.datetime.now(dt.UTC) + dt.timedelta(hours=hours))


def test_an_offer_that_the_title_s_key_did_not_sign(client: Client, install: Callable[..., int]) -> None:
    payload = base64.b64decode(json.loads(offered(client))["payload"])
    with refuses("envelope.forged"):
        install(dsse.sign(offer.PAYLOAD_TYPE, payload, WRONG), 1)
    with refuses("envelope.damaged", "another kind"):
        install(client.builds.statement(TITLE, 1), 1)
    with refuses("envelope.damaged"):
        install(b"{}", 1)


@pytest.mark.parametrize(
    "change", [{"kind": "rampa-offer-9"}, {"number": "fog"}, {"expires_at": "soon"}, {"made_at": None}]
)
def test_an_offer_that_cannot_be_read(change: dict[str, object]) -> None:
    now = dt.datetime.now(dt.UTC)
    builds = (OfferedBuild(1, 1, "00", "r", ALL),)
    right = offer.sign(offer.Offer("t", "studio", "linux", 1, builds, now, now + offer.LIFE), WRONG)
    body = json.loads(base64.b64decode(json.loads(right)["payload"])) | change
    signed = dsse.sign(offer.PAYLOAD_TYPE, json.dumps(body).encode(), WRONG)
    with refuses("offer.damaged"):
        offer.verify(signed, WRONG.public_key().public_bytes_raw())
