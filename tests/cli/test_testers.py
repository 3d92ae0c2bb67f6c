"""Testers by command line: groups, a list of people, letters, access, one who is taken out; a device by a code."""

from __future__ import annotations

from pathlib import Path

import pytest

from rampa.client import Client
from rampa.schema.feedback import FeedbackIn
from rampa.schema.releases import NewRelease
from rampa.schema.testers import JoinAccept
from tests.cli.conftest import Said
from tests.conftest import Begun, Standing, World
from tests.refusals import refuses
from tests.service.test_sign_offs import ON, whole
from tests.testing import CHANNEL, CHECKLISTS, PASSWORD, TITLE, Crew, code_in, fill, make_crew

KAISA = "kaisa@kilnyard.example"


@pytest.fixture
def crew(world: World, client: Client, begun: Begun, standing: tuple[Standing, object], tmp_path: Path) -> Crew:
    def filled() -> None:
        fill(client, tmp_path)

    begun(filled)
    return make_crew(world, client, standing[0])


def test_from_a_group_to_a_tester_and_out(crew: Crew, said: Said, tmp_path: Path) -> None:
    assert "no limit" in said("group", "list")
    assert "5 of 5" in said("group", "add", "day-crew", "--seats", "5")
    assert "until" in said("channel", "give-access", CHANNEL, "--group", "day-crew", "--until", "14d")
    assert "day-crew" in said("channel", "access", CHANNEL)
    people = tmp_path / "people.csv"
    people.write_text(f"email,name\n{KAISA},Kaisa\nnobody\n{KAISA},Kaisa\n")
    words = ("tester", "invite", "--group", "day-crew", "--file", str(people))
    with refuses("addresses.mistakes", "2 lines are wrong"):
        said(*words, "--yes")
    told = said(*words, "--leave-out-mistakes", "--yes")
    assert "there is no address on this line" in told
    assert "1 letter is on the way" in told
    crew.send()
    assert f"{KAISA}" in said("invitation", "list", "--state", "open")
    assert "the earlier link is worth nothing" in said("invitation", "resend", KAISA)
    crew.send()
    crew.unknown().testers.join(JoinAccept(code=code_in(crew.letters[-1][2]), password=PASSWORD))
    assert "accepted" in said("invitation", "list", "--group", "day-crew")
    assert "day-crew" in said("tester", "list", "--search", "kais")
    said("group", "join", "night-crew", KAISA)
    said("group", "leave", "day-crew", KAISA)
    assert "night-crew" in said("tester", "list")
    assert "Not done: confirm with --yes." in said("tester", "withdraw", KAISA, code=1)
    assert "tests peatlight no more" in said("tester", "withdraw", KAISA, "--yes")
    with refuses("tester.unknown"):
        said("tester", "withdraw", KAISA, "--yes")
    assert "fog-crew" in said("group", "change", "day-crew", "--name", "fog-crew", "--seats", "0")
    assert "may not install" in said("channel", "take-access", CHANNEL, "--group", "fog-crew")
    with refuses("access.unknown"):
        said("channel", "take-access", CHANNEL, "--group", "fog-crew")
    assert "0 members" in said("group", "remove", "fog-crew", "--yes")
    with refuses("group.unknown"):
        said("group", "remove", "fog-crew", "--yes")


def test_an_invitation_that_is_withdrawn_and_lists_that_invite_nobody(crew: Crew, said: Said, tmp_path: Path) -> None:
    said("tester", "invite", KAISA, "--group", "night-crew", "--yes")
    with refuses("addresses.nobody-new"):
        said("tester", "invite", KAISA, "--group", "night-crew", "--yes")
    assert "is withdrawn" in said("invitation", "withdraw", KAISA)
    with refuses("state.conflict"):
        said("invitation", "withdraw", KAISA)
    with refuses("invitation.unknown"):
        said("invitation", "withdraw", "nobody@kilnyard.example")
    with refuses("addresses.where"):
        said("tester", "invite", "--group", "night-crew")
    with refuses("addresses.file"):
        said("tester", "invite", "--group", "night-crew", "--file", str(tmp_path / "none.csv"))
    said("group", "change", "night-crew", "--seats", "1")
    with refuses("group.full", "2 seats are needed, and 1 are free"):
        said("tester", "invite", "a@x.example", "b@x.example", "--group", "night-crew", "--yes")


def test_a_link_of_a_tester_s_page_registers_a_device(
    crew: Crew, said: Said, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    kaisa = crew.join(KAISA)
    code = kaisa.testers.registration_code(TITLE, CHANNEL)
    with refuses("device.link"):
        said("device", "add", str(tmp_path / "desk"), "--code", "ftp://x#A")
    told = said("device", "add", str(tmp_path / "desk"), "--code", code.link, "--class", "loft-1")
    assert "desk is registered: a simulated linux device that follows testers of Peatlight" in told
    assert "Kaisa" in said("device", "list")
    with refuses("device.runs"):
        said("device", "re-sign", "desk")


def test_checklists_sign_offs_and_feedback(crew: Crew, said: Said, tmp_path: Path) -> None:
    file = tmp_path / "checklists.toml"
    with refuses("checklists.file"):
        said("checklist", "check", str(file))
    file.write_text(CHECKLISTS)
    assert "One night on the bog" in said("checklist", "check", str(file))
    assert "There is none yet" in said("checklist", "show")
    assert "peatlight has 2 checklists now" in said("checklist", "set", str(file))
    assert "[checklists.night]" in said("checklist", "show")
    kaisa = crew.join(KAISA)
    assert "Nobody has played it yet." in said("sign-off", "list", "peatlight#1")
    kaisa.sign_offs.save(*ON, "night", whole(kaisa, failed="thaw"))
    assert "thaw: It stays shut until noon." in " ".join(said("sign-off", "list", "1").split())
    crew.client.releases.make(TITLE, NewRelease(builds=[1]))
    assert "Kaisa" in said("sign-off", "list", "--release", "1")
    kaisa.feedback.say(*ON, FeedbackIn(text="The fog is too loud.", device="a desk"))
    assert "The fog is too loud." in said("feedback", "list", "--build", "1")
    assert "answered" in said("feedback", "answer", "1", "Which fog?")
    assert "Which fog?" in said("feedback", "show", "1")
    assert "mended by" in said("feedback", "close", "1", "--build", "2", "--text", "Quieter now.")
    assert "open" in said("feedback", "reopen", "1")
