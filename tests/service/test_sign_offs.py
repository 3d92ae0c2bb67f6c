"""Play sign-offs: checklists from a file or a repository, a tester's ticks and pictures, the gate that waits for them."""

from __future__ import annotations

import io
from pathlib import Path

import pytest
from PIL import Image

from rampa.client import Client
from rampa.core.placement.gates import GateKind
from rampa.core.testers.sign_off import PointVerdict
from rampa.operations.sources import repository
from rampa.schema.channels import GateIn, GatesIn
from rampa.schema.common import Role
from rampa.schema.releases import NewRelease
from rampa.schema.sign_offs import SignOffIn, TickIn
from rampa.schema.sources import SourceIn
from tests.conftest import Begun, Standing, World
from tests.gits import peatlight
from tests.refusals import refuses
from tests.testing import CHANNEL, CHECKLISTS, TITLE, Crew, fill, make_crew

PASSED, FAILED = PointVerdict.PASSED, PointVerdict.FAILED
KAISA, ONNI = "kaisa@kilnyard.example", "onni@kilnyard.example"
ON = (TITLE, CHANNEL, 1)


@pytest.fixture
def crew(world: World, client: Client, begun: Begun, standing: tuple[Standing, object], tmp_path: Path) -> Crew:
    def filled() -> None:
        fill(client, tmp_path)
        client.sign_offs.set_checklists(TITLE, CHECKLISTS)

    begun(filled)
    return make_crew(world, client, standing[0])


def picture(colour: str = "#803000") -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (64, 48), colour).save(out, "PNG")
    return out.getvalue()


def whole(of: Client, on: tuple[str, str, int] = ON, failed: str = "") -> SignOffIn:
    """Every point ticked, the picture sent; `failed` did not work."""
    sent = of.sign_offs.add_picture(*on, picture()).id
    ticks = [
        TickIn(point="title-screen", verdict=PASSED),
        TickIn(point="fog", verdict=PASSED, pictures=[sent]),
        TickIn(point="thaw", verdict=PASSED),
    ]
    for tick in ticks:
        if tick.point == failed:
            tick.verdict, tick.note = FAILED, "It stays shut until noon."
    return SignOffIn(ticks=ticks, device="loft-desk, Linux", finish=True)


def test_kept_unfinished_then_finished_then_looked_at_again(crew: Crew) -> None:
    kaisa = crew.join(KAISA)
    (mine,) = kaisa.sign_offs.own(*ON)
    assert (mine.checklist.name, mine.state, [p.name for p in mine.checklist.points]) == (
        "night",
        None,
        ["title-screen", "fog", "thaw"],
    )
    begun = SignOffIn(ticks=[TickIn(point="title-screen", verdict=PASSED, note="Three seconds.")])
    kaisa.sign_offs.save(*ON, "night", begun)
    (mine,) = kaisa.sign_offs.own(*ON)
    assert (mine.state, mine.ticks[0].note, mine.finished_at) == ("unfinished", "Three seconds.", None)
    with refuses("sign-off.open", "2 points are not ticked yet"):
        kaisa.sign_offs.save(*ON, "night", SignOffIn(ticks=begun.ticks, finish=True))
    done = kaisa.sign_offs.save(*ON, "night", whole(kaisa))
    assert done.state == "finished"
    with refuses("state.conflict", "save is not possible now"):
        kaisa.sign_offs.save(*ON, "night", begun)
    assert kaisa.sign_offs.reopen(*ON, "night").state == "unfinished"
    assert crew.client.sign_offs.of_build(TITLE, 1).signed == []
    with refuses("checklist.unknown"):
        kaisa.sign_offs.save(*ON, "pocket", begun)
    with refuses("sign-off.none"):
        crew.client.sign_offs.reopen(*ON, "night")
    with refuses("testing.gone"):
        kaisa.sign_offs.own(TITLE, CHANNEL, 2)


def test_the_gate_holds_a_build_that_failed_and_opens_for_the_mended_one(crew: Crew) -> None:
    """One failed point; a new build; two who sign it off; then it passes."""
    kaisa, onni = crew.join(KAISA), crew.join(ONNI, "Onni")
    gates = GatesIn(gates=[GateIn(kind=GateKind.SIGN_OFFS, count=2)])
    crew.client.channels.set_gates(TITLE, "early", gates)

    def missing(number: int) -> tuple[str, str]:
        (gate,) = crew.client.channels.gates(TITLE, "early", number)
        return gate.state, gate.missing

    assert missing(1) == ("closed", "0 of 2")
    kaisa.sign_offs.save(*ON, "night", whole(kaisa, failed="thaw"))
    assert missing(1) == ("closed", "thaw failed for Kaisa")
    seen = crew.client.channels.preview(TITLE, "early", 1)
    with refuses("gate.closed", "thaw failed for Kaisa"):
        crew.client.channels.place(TITLE, "early", 1, seen.etag)
    crew.client.channels.place(TITLE, CHANNEL, 2, crew.client.channels.preview(TITLE, CHANNEL, 2).etag)
    mended = (TITLE, CHANNEL, 2)
    (own,) = onni.sign_offs.own(*mended)
    assert [(p.name, p.failed_before) for p in own.checklist.points] == [
        ("thaw", True),
        ("title-screen", False),
        ("fog", False),
    ], "what failed last time comes first, for everybody"
    onni.sign_offs.save(*mended, "night", whole(onni, mended))
    assert missing(2) == ("closed", "1 of 2: Onni")
    kaisa.sign_offs.save(*mended, "night", whole(kaisa, mended))
    assert missing(2) == ("passed", "")
    crew.client.channels.place(TITLE, "early", 2, crew.client.channels.preview(TITLE, "early", 2).etag)


def test_what_it_comes_to_by_build_and_by_release(crew: Crew) -> None:
    kaisa = crew.join(KAISA)
    kaisa.sign_offs.save(*ON, "night", whole(kaisa, failed="thaw"))
    # Another state of the file does not change what was said by the one before.
    crew.client.sign_offs.set_checklists(TITLE, CHECKLISTS.replace("opens at dawn", "opens late"))
    found = crew.client.sign_offs.of_build(TITLE, 1)
    (one,) = found.items
    assert (found.wanted, found.signed, one.person, one.device) == (["night"], [], "Kaisa", "loft-desk, Linux")
    assert (one.passed, one.points) == (2, 3)
    (failed,) = one.failed
    assert (failed.point, failed.note, failed.text[0].text) == (
        "thaw",
        "It stays shut until noon.",
        "The thaw gate opens at dawn.",
    )
    assert [n.point for n in one.notes] == ["fog"]
    data = crew.client.sign_offs.picture(one.notes[0].pictures[0])
    assert Image.open(io.BytesIO(data)).size == (64, 48)
    release = crew.client.releases.make(TITLE, NewRelease(builds=[1]))
    (of_build,) = crew.client.sign_offs.of_release(TITLE, release.number).items
    assert of_build.items == found.items


def test_pictures_are_their_sender_s_and_bombs_are_refused(crew: Crew) -> None:
    kaisa, onni = crew.join(KAISA), crew.join(ONNI, "Onni")
    sent = kaisa.sign_offs.add_picture(*ON, picture()).id
    with refuses("picture.none"):
        onni.sign_offs.picture(sent)
    stolen = SignOffIn(ticks=[TickIn(point="fog", pictures=[sent])])
    with refuses("picture.none"):
        onni.sign_offs.save(*ON, "night", stolen)
    kaisa.sign_offs.save(*ON, "night", stolen)
    with refuses("picture.unknown"):
        kaisa.sign_offs.add_picture(*ON, b"no picture")
    with refuses("picture.too-large"):
        kaisa.sign_offs.add_picture(*ON, bytes(25 * 1024 * 1024))
    with crew.world.client(Role.TESTER) as stranger, refuses("testing.none"):
        stranger.sign_offs.add_picture(*ON, picture())


def test_checklists_are_numbered_and_a_repository_brings_its_own(crew: Crew, tmp_path: Path) -> None:
    assert crew.client.sign_offs.checklists(TITLE).number == 1
    assert crew.client.sign_offs.set_checklists(TITLE, CHECKLISTS).number == 1, "the same text is no new state"
    with refuses("checklists.invalid", where="checklists.night.points"):
        crew.client.sign_offs.set_checklists(TITLE, "[checklists.night]\n")
    repo = peatlight(tmp_path / "peatlight")
    repo.commit(
        "Checklists",
        {
            "checklists.toml": CHECKLISTS.replace("[checklists.pocket]", "[checklists.phone]").replace(
                "checklists.pocket.points", "checklists.phone.points"
            )
        },
    )
    crew.client.sources.connect(TITLE, SourceIn(address=str(repo.root), every=0))
    crew.client.titles.set_owner(TITLE, "repository")
    assert repository.fetch(crew.world.services, TITLE), crew.client.sources.get(TITLE).error
    found = crew.client.sign_offs.checklists(TITLE)
    assert ([c.name for c in found.items], found.created_by, len(found.commit)) == (
        ["night", "phone"],
        "the repository",
        40,
    )
    repo.commit("Broken", {"checklists.toml": "[checklists.night]\n"})
    repository.fetch(crew.world.services, TITLE)
    assert "checklists.night.points is 1 to 200 points" in crew.client.sources.get(TITLE).error
    assert crew.client.sign_offs.checklists(TITLE).number == found.number


def test_a_person_sends_only_so_many_pictures(crew: Crew, monkeypatch: pytest.MonkeyPatch) -> None:
    from rampa.operations.testers import sign_offs

    monkeypatch.setattr(sign_offs, "MOST_PICTURES", 1)
    crew.client.sign_offs.add_picture(*ON, picture())
    with refuses("picture.many"):
        crew.client.sign_offs.add_picture(*ON, picture())
