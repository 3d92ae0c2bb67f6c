"""Devices with keys of their own: registered by a code, calling by themselves, told what they cannot run; files by address."""

from __future__ import annotations

import base64
import datetime as dt
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.client.devices.delivery import HttpDelivery, device_report
from rampa.core.devices import proof
from rampa.schema.devices import DeviceSessionIn
from rampa.schema.releases import NewRelease, ReleaseNote
from rampa.schema.signing.grants import NewGrant
from rampa.schema.testers import AccessIn, NewGroup
from rampa.standin.device import SimulatedDevice, new_identity
from tests.conftest import Begun, Standing, World
from tests.packages import ipa_files
from tests.refusals import refuses
from tests.samples import add_key, import_title
from tests.service.test_packages import DOCUMENT, made
from tests.testing import CHANNEL, GROUP, ORIGIN, TITLE, Crew, fill, make_crew

KAISA = "kaisa@kilnyard.example"


@pytest.fixture
def crew(world: World, client: Client, begun: Begun, standing: tuple[Standing, object], tmp_path: Path) -> Crew:
    def filled() -> None:
        fill(client, tmp_path)

    begun(filled)
    return make_crew(world, client, standing[0])


@pytest.fixture
def phones(world: World, client: Client, standing: tuple[Standing, object], tmp_path: Path) -> Crew:
    """A title whose test builds run only with a grant; nobody has a device yet."""
    add_key(client)
    import_title(client, DOCUMENT)
    client.testers.add_group(TITLE, NewGroup(name=GROUP))
    client.testers.give_access(TITLE, CHANNEL, AccessIn(group=GROUP))
    return make_crew(world, client, standing[0])


def place(client: Client, number: int) -> None:
    seen = client.channels.preview(TITLE, CHANNEL, number)
    client.channels.place(TITLE, CHANNEL, number, seen.etag)


def installed(crew: Crew, device: SimulatedDevice) -> int:
    """As `rampa device update` does it: asks, installs, reports."""
    with crew.calling(device) as calls:
        offer = base64.b64decode(calls.channels.offer(TITLE, CHANNEL, "linux").signed)
        number = device.wanted(offer).build
        report = device.update(
            offer, calls.builds.statement(TITLE, number), HttpDelivery(calls, TITLE, number), ignored
        )
        calls.devices.report(TITLE, device.identity.name, device_report(number, report))
    return number


def ignored(_: object) -> None:
    pass


def test_a_device_registers_itself_installs_and_is_seen(crew: Crew, tmp_path: Path) -> None:
    kaisa = crew.join(KAISA)
    code = kaisa.testers.registration_code(TITLE, CHANNEL)
    assert code.link == f"{ORIGIN}/device#{code.code}"
    assert code.picture.startswith("<svg")
    device = crew.device(kaisa, tmp_path / "loft-desk")
    assert (device.folder / "device.key").stat().st_mode & 0o777 == 0o600
    assert installed(crew, device) == 1
    (mine,) = kaisa.testers.own_devices()
    assert (mine.name, mine.build, mine.simulated, mine.platform_title) == ("loft-desk", 1, True, "Linux")
    assert mine.last_seen_at
    (seen,) = crew.client.devices.all(TITLE)
    assert (seen.person, seen.keyed, seen.build, seen.channel) == ("Kaisa", True, 1, CHANNEL)
    (tester,) = crew.client.testers.all(TITLE)
    assert (tester.devices, tester.last_seen_at is not None) == (1, True)


def test_a_code_registers_one_device_once_and_soon(
    crew: Crew, tmp_path: Path, standing: tuple[Standing, object]
) -> None:
    kaisa = crew.join(KAISA)
    code = kaisa.testers.registration_code(TITLE, CHANNEL).code
    asked, _ = new_identity(code, "desk", "linux", "")
    calls = crew.unknown().devices
    with refuses("platform.unknown"):
        calls.register_by_code(asked.model_copy(update={"platform": "kiln"}))
    with refuses("device.proof"):
        calls.register_by_code(asked.model_copy(update={"proof": "00" * 64}))
    with refuses("device.proof"):
        calls.register_by_code(asked.model_copy(update={"public_key": "00" * 32}))
    calls.register_by_code(asked)
    with refuses("registration.denied", where="code"):
        calls.register_by_code(asked)
    again = kaisa.testers.registration_code(TITLE, CHANNEL).code
    taken, _ = new_identity(again, "desk", "linux", "")
    with refuses("device.exists"):
        calls.register_by_code(taken)
    now: Callable[[], dt.datetime] = crew.world.services.now
    standing[0].now_in = replace(crew.world.services, now=lambda: now() + dt.timedelta(minutes=16))
    with refuses("registration.denied"):
        calls.register_by_code(taken.model_copy(update={"name": "another"}))


def test_two_devices_with_one_key_are_told_apart(crew: Crew, tmp_path: Path) -> None:
    kaisa = crew.join(KAISA)
    device = crew.device(kaisa, tmp_path / "loft-desk")
    code = kaisa.testers.registration_code(TITLE, CHANNEL).code
    asked, _ = new_identity(code, "twin", "linux", "")
    key = device.key()
    twin = asked.model_copy(
        update={
            "public_key": key.public_key().public_bytes_raw().hex(),
            "proof": key.sign(proof.registration(code)).hex(),
        }
    )
    with refuses("device.key-taken"):
        crew.unknown().devices.register_by_code(twin)
    assert installed(crew, device) == 1
    shutil.copytree(device.folder, tmp_path / "copy")
    assert installed(crew, device) == 1
    copy = SimulatedDevice(tmp_path / "copy")
    with refuses("device.copied", "went on elsewhere"):
        installed(crew, copy)
    (event,) = crew.client.events.all(act="device.copied")
    assert event.subject == "loft-desk"


def test_the_clock_of_a_device_does_not_matter_and_a_challenge_is_good_once(crew: Crew, tmp_path: Path) -> None:
    kaisa = crew.join(KAISA)
    device = crew.device(kaisa, tmp_path / "loft-desk")
    calls, ident, key = crew.unknown().devices, device.identity.device_id, device.key()
    asked = calls.ask(ident).challenge
    said = DeviceSessionIn(challenge=asked, uses=1, signature=key.sign(proof.session(bytes.fromhex(asked), 1)).hex())
    calls.open_session(ident, said)
    with refuses("challenge.over"):
        calls.open_session(ident, said)
    other = calls.ask("00000000-0000-0000-0000-000000000000").challenge
    with refuses("challenge.over"):
        calls.open_session(ident, said.model_copy(update={"challenge": other}))
    with refuses("device.unknown-key"):
        calls.open_session("00000000-0000-0000-0000-000000000000", said.model_copy(update={"challenge": other}))
    with refuses("device.proof"):
        calls.open_session(ident, said.model_copy(update={"challenge": calls.ask(ident).challenge, "uses": 2}))


def test_a_folder_whose_key_or_count_is_damaged_says_so(crew: Crew, tmp_path: Path) -> None:
    device = crew.device(crew.join(KAISA), tmp_path / "loft-desk")
    (device.folder / "uses").write_text("fog")
    with refuses("device.damaged"), device.count():
        pass
    (device.folder / "device.key").write_text("fog")
    with refuses("device.key"):
        device.key()


def test_a_lost_device_is_taken_out_and_is_refused_at_once(crew: Crew, tmp_path: Path) -> None:
    kaisa = crew.join(KAISA)
    device = crew.device(kaisa, tmp_path / "loft-desk")
    with crew.calling(device) as calls:
        calls.builds.statement(TITLE, 1)
        kaisa.testers.remove_own_device(device.identity.device_id)
        with refuses("device.unknown-key"):
            calls.builds.statement(TITLE, 1)
    with refuses("device.unknown"):
        kaisa.testers.remove_own_device(device.identity.device_id)


def test_a_build_s_page_hands_its_file_out_by_an_address_of_a_minute(
    crew: Crew, standing: tuple[Standing, object], tmp_path: Path
) -> None:
    kaisa = crew.join(KAISA)
    page = kaisa.testers.install_page(TITLE, CHANNEL, 1)
    assert (page.way, page.build.platform_title, page.link) == (
        "file",
        "Linux",
        f"{ORIGIN}/install/{TITLE}/{CHANNEL}/1",
    )
    address = kaisa.testers.download_address(TITLE, CHANNEL, 1).address
    assert address.startswith(ORIGIN)
    at = address.removeprefix(ORIGIN)
    http = crew.world.app.test_client()  # type: ignore[attr-defined]
    whole = http.get(at)
    crew.client.builds.save_bundle(TITLE, 1, tmp_path / "bundle")
    assert whole.data == (tmp_path / "bundle").read_bytes()
    part = http.get(at, headers={"Range": "bytes=1000-200999"})
    assert (part.status_code, part.data) == (206, whole.data[1000:201000])
    assert http.get(at, headers={"Range": f"bytes={len(whole.data)}-"}).status_code == 416
    assert http.get(at.replace("/downloads/", "/downloads/A")).status_code == 403
    now: Callable[[], dt.datetime] = crew.world.services.now
    standing[0].now_in = replace(crew.world.services, now=lambda: now() + dt.timedelta(seconds=61))
    over = http.get(at)
    assert (over.status_code, over.json["code"]) == (403, "download.over")


def test_a_download_that_travels_ends_when_the_access_does(crew: Crew, standing: tuple[Standing, object]) -> None:
    kaisa = crew.join(KAISA)
    at = kaisa.testers.download_address(TITLE, CHANNEL, 1).address.removeprefix(ORIGIN)
    http = crew.world.app.test_client()  # type: ignore[attr-defined]
    answer = http.get(at, buffered=False)
    pieces = iter(answer.response)
    next(pieces)
    (tester,) = crew.client.testers.all(TITLE)
    crew.client.testers.withdraw(TITLE, tester.id)
    now: Callable[[], dt.datetime] = crew.world.services.now
    # The clock that the download looks at goes on by half a minute.
    object.__setattr__(crew.world.services, "now", lambda: now() + dt.timedelta(seconds=30))
    with refuses("download.withdrawn"):
        list(pieces)


def test_notes_for_testers_stand_beside_the_build_in_each_language(crew: Crew) -> None:
    kaisa = crew.join(KAISA)
    release = crew.client.releases.make(TITLE, NewRelease(builds=[2]))
    crew.client.releases.leave_out(TITLE, release.number, "windows-release", "Only the desk is tested.")
    for language, text in (("en", "Look at the sluice."), ("fi", "Katso sulkua.")):
        crew.client.releases.write_notes(
            TITLE, release.number, ReleaseNote(audience="testers", language=language, text=text)
        )
    crew.client.releases.write_notes(
        TITLE, release.number, ReleaseNote(audience="players", language="en", text="Faster fog.")
    )
    seen = crew.client.releases.preview(TITLE, release.number, CHANNEL)
    crew.client.releases.place(TITLE, release.number, CHANNEL, seen.etag)
    (channel,) = kaisa.testers.testing().titles[0].channels
    (newest,) = channel.builds
    assert (newest.build, [(n.language, n.text) for n in newest.notes]) == (
        2,
        [("en", "Look at the sluice."), ("fi", "Katso sulkua.")],
    )


def test_where_a_grant_is_needed_the_device_comes_first_and_one_act_signs_for_it(phones: Crew, tmp_path: Path) -> None:
    kaisa, onni = phones.join(KAISA), phones.join("onni@kilnyard.example", "Onni")
    first = phones.device(kaisa, tmp_path / "moss-handset", "ios")
    phones.client.signing.make_grant(TITLE, NewGrant(profile="handset"))
    made(phones.client, tmp_path, "handset", ipa_files())
    place(phones.client, 1)
    assert kaisa.testers.install_page(TITLE, CHANNEL, 1).way == "file"
    assert onni.testers.install_page(TITLE, CHANNEL, 1).way == "register"
    later = phones.device(onni, tmp_path / "loft-tablet", "ios")
    assert onni.testers.install_page(TITLE, CHANNEL, 1).way == "waiting"
    (mine,) = onni.testers.own_devices()
    assert mine.cannot_run == [1]
    assert {d.name: d.cannot_run for d in phones.client.devices.all(TITLE)} == {"loft-tablet": [1], "moss-handset": []}
    with phones.calling(later) as calls:
        asked = calls.signing.restriction(TITLE, 1)
        assert asked.needed
        with refuses("grant.device", "does not list loft-tablet"):
            later.must_be_granted(
                calls.signing.grant_of(TITLE, 1), asked.identifier, asked.certificate, dt.datetime.now(dt.UTC)
            )
        done = phones.client.devices.re_sign(TITLE, "loft-tablet")
        assert [(i.build, i.grant) for i in done.items] == [(1, 2)]
        later.must_be_granted(
            calls.signing.grant_of(TITLE, 1), asked.identifier, asked.certificate, dt.datetime.now(dt.UTC)
        )
    assert onni.testers.install_page(TITLE, CHANNEL, 1).way == "file"
    with refuses("device.runs"):
        phones.client.devices.re_sign(TITLE, "loft-tablet")
    with refuses("device.unknown"):
        phones.client.devices.re_sign(TITLE, "nobody")
    # A grant lists names: another device does not come by a lost one's rights with its name.
    kaisa.testers.remove_own_device(first.identity.device_id)
    with refuses("device.name-granted"):
        phones.device(kaisa, tmp_path / "another", "ios", name="moss-handset")
