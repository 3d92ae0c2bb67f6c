"""The studio's own review desk: the queue, claims of two at once, of one who vanishes, verdicts, what is replaced, the gate."""

from __future__ import annotations

import threading
from pathlib import Path
from uuid import UUID

import pytest

from rampa.client import Client
from rampa.core.errors import RampaError
from rampa.core.placement.gates import GateKind
from rampa.core.submission.life import SubmissionState as S
from rampa.operations.base import Actor
from rampa.operations.people import people, sessions, tokens
from rampa.operations.reviews import desk
from rampa.schema.channels import GateIn, GatesIn
from rampa.schema.common import Page, Role
from rampa.schema.people import NewPerson, NewToken
from rampa.schema.reviews import NewReview, ReviewRowOut
from tests.clock import Clock
from tests.conftest import Begun, World
from tests.listings import TITLE, send, write_listing
from tests.refusals import refuses
from tests.samples import add_key, build, change_folder, import_title, make_folder


@pytest.fixture
def studio(client: Client, begun: Begun, tmp_path: Path) -> Client:
    """Two builds; `client` is the owner's, who puts them before the reviewers."""

    def fill() -> None:
        import_title(client)
        add_key(client)
        folder = make_folder(tmp_path / "title", 200_000)
        build(client, folder, tmp_path / "state")
        change_folder(folder)
        build(client, folder, tmp_path / "state")
        send(client, write_listing(tmp_path / "listing"))

    begun(fill)
    return client


def reviewer(client: Client, world: World, name: str) -> Client:

    email, password = f"{name.lower()}@quillback.example", "a long enough password"
    person = NewPerson(name=name, email=email, role=Role.REVIEWER, password=password)
    people.add_person(world.services, world.actor(), person, None)
    session, _ = sessions.sign_in(world.services, email, password)
    actor = Actor(UUID(session.person.id), name, Role.REVIEWER)
    return world._client(tokens.make_token(world.services, actor, NewToken(name="test", days=2)).secret)


def put(client: Client, number: int = 1, hours: int = 24) -> int:
    asked = NewReview(build=number, channel="public", notes="Look at the fog.", hours=hours)
    return client.reviews.make(TITLE, asked).number


def test_everything_is_on_one_page(studio: Client, world: World) -> None:
    rauni = reviewer(studio, world, "Rauni")
    number = put(studio)
    (row,) = rauni.reviews.all()
    assert (row.build_name, row.title_name, row.channel, row.words, row.made_by) == (
        "peatlight#1", "Peatlight", "public", "in line", "Iida",
    )  # fmt: skip
    seen = rauni.reviews.get(TITLE, number)
    assert seen.bundle is not None
    assert (seen.bundle.signed_by, seen.bundle.files, seen.bundle.architectures) == ("quillback-2026", 6, ["x86_64"])
    assert (seen.listing.name, seen.listing.languages, seen.since_last, seen.earlier) == (
        "Peatlight",
        ["en", "fi"],
        None,
        [],
    )
    assert [a.name for a in seen.allowed_actions if a.possible] == ["claim", "note"]
    for act in ("claim", "pass"):
        rauni.reviews.act(TITLE, number, act)
    second = rauni.reviews.get(TITLE, put(studio, 2))
    assert second.since_last is not None
    assert (second.since_last.build, second.since_last.added > 0) == (1, True)
    assert [(e.build, e.state) for e in second.earlier] == [(1, S.PASSED)]


def test_of_two_who_claim_at_once_one_has_it(studio: Client, world: World) -> None:
    people = [reviewer(studio, world, name) for name in ("Rauni", "Oskari")]
    number, said = put(studio), []

    def claim(who: Client) -> None:
        try:
            said.append(who.reviews.act(TITLE, number, "claim").claimed_by)
        except RampaError as error:
            said.append(error.code)

    threads = [threading.Thread(target=claim, args=(who,)) for who in people]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(s for s in said if s in ("Rauni", "Oskari")) in (["Rauni"], ["Oskari"])
    assert "review.claimed" in said
    winner, loser = people if "Rauni" in said else people[::-1]
    for act in ("pass", "lapse"):
        with refuses("review.claimed"):
            loser.reviews.act(TITLE, number, act)
    assert [r.number for r in winner.reviews.all(mine=True)] == [number]
    assert list(loser.reviews.all(mine=True)) == []
    loser.reviews.act(TITLE, number, "note", "I would look at the fog.")
    assert winner.reviews.act(TITLE, number, "pass", "Fine.").state is S.PASSED


def test_a_reviewer_who_vanishes_loses_the_claim(studio: Client, world: World) -> None:
    rauni, oskari = reviewer(studio, world, "Rauni"), reviewer(studio, world, "Oskari")
    clock = Clock(world)
    number = put(studio)
    rauni.reviews.act(TITLE, number, "claim")
    clock.pass_(minutes=10)
    rauni.reviews.act(TITLE, number, "note", "I am still here.")
    clock.pass_(minutes=10)
    assert desk.lapse_due(world.services) == 0, "a word keeps it"
    clock.pass_(minutes=6)
    assert desk.lapse_due(world.services) == 1
    seen = oskari.reviews.get(TITLE, number)
    assert (seen.state, seen.claimed_by, seen.said[-1].text) == (S.WAITING, "", "The claim of Rauni lapsed.")
    oskari.reviews.act(TITLE, number, "claim")
    with refuses("review.claimed", "Oskari has review 1"):
        rauni.reviews.act(TITLE, number, "pass")
    clock.pass_(minutes=16)
    with refuses("review.not-yours"):
        oskari.reviews.act(TITLE, number, "pass")


def test_withdrawn_or_replaced_while_it_is_claimed(studio: Client, world: World) -> None:
    rauni = reviewer(studio, world, "Rauni")
    number = put(studio)
    rauni.reviews.act(TITLE, number, "claim")
    newer = put(studio, 2)
    with refuses("review.moved", "withdrawn meanwhile: peatlight#2 took its place."):
        rauni.reviews.act(TITLE, number, "pass")
    rauni.reviews.act(TITLE, newer, "claim")
    studio.reviews.act(TITLE, newer, "withdraw")
    with refuses("review.moved"):
        rauni.reviews.act(TITLE, newer, "refuse", "It ends.", reason="crash")
    assert list(rauni.reviews.all()) == []
    assert [r.number for r in rauni.reviews.all("over")] == [newer, number]


def test_asked_answered_refused_appealed_and_who_reads_notes(studio: Client, world: World) -> None:
    rauni = reviewer(studio, world, "Rauni")
    number = put(studio)
    rauni.reviews.act(TITLE, number, "claim")
    with refuses("review.words"):
        rauni.reviews.act(TITLE, number, "ask")
    rauni.reviews.act(TITLE, number, "ask", "Is the fog meant?", "the first picture")
    assert studio.reviews.act(TITLE, number, "answer", "It is.").state is S.WAITING
    rauni.reviews.act(TITLE, number, "claim")
    rauni.reviews.act(TITLE, number, "note", "He always says so.")
    with refuses("review.reason"):
        rauni.reviews.act(TITLE, number, "refuse", "It ends.", reason="fog")
    seen = rauni.reviews.act(TITLE, number, "refuse", "It ends at Kiln Yard.", "Kiln Yard", "crash")
    assert (seen.state, seen.said[-1].reason) == (S.REFUSED, "crash")
    viewer = world.client(Role.VIEWER)
    assert "note" in {w.kind for w in rauni.reviews.get(TITLE, number).said}
    assert "note" not in {w.kind for w in viewer.reviews.get(TITLE, number).said}, "notes are among reviewers"
    assert studio.reviews.act(TITLE, number, "appeal", "Not with the newest drivers.").state is S.WAITING
    with refuses("role.denied"):
        viewer.reviews.act(TITLE, number, "claim")
    with refuses("role.denied"):
        rauni.reviews.act(TITLE, number, "answer", "Yes.")
    with refuses("review.own"):
        studio.reviews.act(TITLE, number, "claim")


def test_the_queue_is_by_promise_and_pages(studio: Client, world: World) -> None:
    late = put(studio, 1, hours=48)
    soon = studio.reviews.make(TITLE, NewReview(build=2, channel="early", hours=2)).number
    assert [r.number for r in studio.reviews.all()] == [soon, late]
    first = studio.connection.get(Page[ReviewRowOut], "/api/v1/reviews", limit=1)
    second = studio.connection.get(Page[ReviewRowOut], "/api/v1/reviews", limit=1, cursor=first.next)
    assert [r.number for page in (first, second) for r in page.items] == [soon, late]
    assert second.next is None
    with refuses("review.there"):
        put(studio)
    with refuses("review.unknown"):
        studio.reviews.get(TITLE, 9)
    Clock(world).pass_(hours=50)
    again = world.client()
    row = next(r for r in again.reviews.all() if r.number == late)
    assert 1.9 * 3600 < row.late < 2.1 * 3600
    with refuses("cursor.invalid"):
        again.connection.get(Page[ReviewRowOut], "/api/v1/reviews", cursor="AAAA")


def test_what_is_not_whole_is_not_put_there(studio: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(
        "rampa.client.builds.calls.BuildsCalls.complete", lambda *_, **__: (_ for _ in ()).throw(OSError)
    )
    with pytest.raises(OSError):
        build(studio, tmp_path / "title", tmp_path / "state")
    with refuses("review.build", "is open: there is nothing to look at"):
        put(studio, 3)


def test_a_channel_can_ask_for_it(studio: Client, world: World) -> None:
    rauni = reviewer(studio, world, "Rauni")
    studio.channels.set_gates(TITLE, "studio", GatesIn(gates=[GateIn(kind=GateKind.REVIEWED)]))
    (gate,) = studio.channels.gates(TITLE, "studio", 1)
    assert (gate.state, gate.missing) == ("closed", "it is not before them yet")
    asked = NewReview(build=1, channel="studio")
    number = studio.reviews.make(TITLE, asked).number
    assert studio.channels.gates(TITLE, "studio", 1)[0].missing == "it is in line"
    rauni.reviews.act(TITLE, number, "claim")
    rauni.reviews.act(TITLE, number, "pass")
    assert studio.channels.gates(TITLE, "studio", 1)[0].state == "passed"


def test_times_to_verdict(studio: Client, world: World) -> None:
    rauni = reviewer(studio, world, "Rauni")
    clock = Clock(world)
    assert rauni.reviews.times().weeks == []
    number = put(studio, hours=1)
    clock.pass_(hours=3)
    rauni.reviews.act(TITLE, number, "claim")
    rauni.reviews.act(TITLE, number, "pass")
    (week,) = rauni.reviews.times().weeks
    assert (week.count, week.late, week.usual) == (1, 1, None)
