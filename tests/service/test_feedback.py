"""Feedback: from a tester's page to the build's, answered, closed with what mends it; the tester hears of it."""

from __future__ import annotations

from pathlib import Path

import pytest
from sqlalchemy import text

from rampa.client import Client
from rampa.schema.common import Role
from rampa.schema.feedback import CloseIn, FeedbackIn
from tests.conftest import Begun, Standing, World
from tests.refusals import refuses
from tests.service.test_sign_offs import picture
from tests.testing import CHANNEL, ORIGIN, TITLE, Crew, fill, make_crew

KAISA, ONNI = "kaisa@kilnyard.example", "onni@kilnyard.example"
ON = (TITLE, CHANNEL, 1)


@pytest.fixture
def crew(world: World, client: Client, begun: Begun, standing: tuple[Standing, object], tmp_path: Path) -> Crew:
    def filled() -> None:
        fill(client, tmp_path)

    begun(filled)
    return make_crew(world, client, standing[0])


def letters(crew: Crew) -> list[dict[str, str]]:
    """What waits in the queue to be sent."""
    with crew.world.services.db.transaction() as session:
        rows = session.execute(text("select args from procrastinate_jobs where task_name = 'send_letter' order by id"))
        return [row[0] for row in rows]


def test_said_answered_and_closed_with_the_build_that_mends_it(crew: Crew, tmp_path: Path) -> None:
    kaisa = crew.join(KAISA)
    device = crew.device(kaisa, tmp_path / "loft-desk")
    sent = kaisa.sign_offs.add_picture(*ON, picture()).id
    asked = FeedbackIn(text="The lanterns flicker at Kiln Yard.", device_id=device.identity.device_id, pictures=[sent])
    said = kaisa.feedback.say(*ON, asked)
    assert (said.number, said.state, said.device) == (1, "open", "loft-desk: Linux, simulated")
    assert {a.name: a.possible for a in said.allowed_actions} == {
        "answer": False,
        "close": False,
        "reopen": False,
        "reply": True,
    }
    (seen,) = crew.client.feedback.all(TITLE, build=1, state="open", search="FLICKER")
    assert (seen.person, seen.text, seen.pictures) == ("Kaisa", "The lanterns flicker at Kiln Yard.", [sent])
    crew.client.feedback.answer(TITLE, 1, "Only in the fog?")
    assert kaisa.feedback.own()[0].words[0].text == "Only in the fog?"
    again = kaisa.feedback.reply(said.id, "Everywhere.")
    assert (again.state, [w.by_studio for w in again.words]) == ("open", [True, False])
    closed = crew.client.feedback.close(TITLE, 1, CloseIn(text="Thank you.", build=2, commit="ab" * 10))
    assert (closed.state, closed.mended_build, closed.mended_commit) == ("closed", 2, "ab" * 10)
    told = letters(crew)
    assert [(t["to"], t["subject"]) for t in told] == [(KAISA, "What you said of Peatlight #1")] * 2
    assert "Only in the fog?" in told[0]["text"]
    assert "It is mended in build 2." in told[1]["text"]
    assert f"{ORIGIN}/testing/feedback" in told[1]["text"]
    with refuses("state.conflict"):
        kaisa.feedback.reply(said.id, "One more.")
    assert crew.client.feedback.reopen(TITLE, 1).mended_build is None
    assert len(letters(crew)) == 2


def test_what_one_said_is_one_s_own(crew: Crew, tmp_path: Path) -> None:
    kaisa, onni = crew.join(KAISA), crew.join(ONNI, "Onni")
    said = kaisa.feedback.say(*ON, FeedbackIn(text="Fog.", device="an old desk"))
    assert (onni.feedback.own(), kaisa.feedback.own()[0].device) == ([], "an old desk")
    with refuses("feedback.unknown"):
        onni.feedback.reply(said.id, "Mine?")
    with refuses("role.denied"):
        onni.feedback.get(TITLE, 1)
    device = crew.device(kaisa, tmp_path / "loft-desk")
    with refuses("device.unknown"):
        onni.feedback.say(*ON, FeedbackIn(text="x", device_id=device.identity.device_id))
    sent = kaisa.sign_offs.add_picture(*ON, picture()).id
    with refuses("picture.none"):
        onni.feedback.say(*ON, FeedbackIn(text="x", pictures=[sent]))
    with refuses("testing.gone"):
        onni.feedback.say(TITLE, CHANNEL, 2, FeedbackIn(text="x"))
    with crew.world.client(Role.VIEWER) as viewer:
        assert viewer.feedback.get(TITLE, 1).text == "Fog."
        with refuses("role.denied", "may not answer testers"):
            viewer.feedback.answer(TITLE, 1, "x")
    with refuses("feedback.unknown"):
        crew.client.feedback.get(TITLE, 9)
    with refuses("build.unknown"):
        crew.client.feedback.close(TITLE, 1, CloseIn(build=9))
    assert [f.number for f in crew.client.feedback.all(TITLE, limit=1)] == [1]
