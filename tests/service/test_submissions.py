"""Submissions: the plan, being sent and followed, answered and mended, going live and growing, lost and sent again."""

from __future__ import annotations

import datetime as dt
import io
import re
import zipfile
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import pytest

from rampa.core.placement.gates import GateKind
from rampa.core.submission.course import Course
from rampa.core.submission.life import SubmissionState as S
from rampa.core.submission.needs import NeedKey, NeedState
from rampa.db import find_build
from rampa.operations.base import begin
from rampa.operations.submissions import by_itself
from rampa.schema.channels import GateIn, GatesIn
from rampa.schema.common import Role
from rampa.schema.listings import ListingEditIn
from rampa.schema.storefront_accounts import NewStorefront, StorefrontKind
from rampa.schema.storefronts import Ability, Going
from rampa.schema.submissions import NewSubmissions, PlanFor, RuleIn
from rampa.standin.storefront.character import ReviewPolicy
from tests.cli.conftest import Said, said
from tests.listings import TITLE
from tests.refusals import refuses
from tests.service.test_storefronts import lets_in
from tests.submitting import FOR_QUAY, Submitting, opens, quay, submitting

__all__ = ["opens", "quay", "said", "submitting"]


def states(item: PlanFor) -> dict[NeedKey, NeedState]:
    return {need.key: need.state for need in item.needs}


def character(submitting: Submitting, **more: object) -> None:
    shop = submitting.quay.shop
    object.__setattr__(shop, "character", replace(shop.character, **more))  # type: ignore[arg-type]


def test_the_plan_says_what_is_there_and_what_is_missing(submitting: Submitting) -> None:
    (item,) = submitting.client.submissions.plan(TITLE, 1).items
    assert (item.storefront_title, item.ready, item.simulated) == ("Northquay", True, True)
    assert set(states(item).values()) <= {NeedState.THERE, NeedState.LATER, NeedState.WARNING}, item.needs
    assert states(item)[NeedKey.FIRST] is NeedState.LATER, "nobody has told Northquay of the title yet"
    submitting.client.storefronts.disconnect("northquay")
    (item,) = submitting.client.submissions.plan(TITLE, 1).items
    missing = [n for n in item.needs if n.state is NeedState.MISSING]
    assert [n.key for n in missing] == [NeedKey.ACCOUNT]
    assert missing[0].mend == "rampa storefront connect northquay --address https://HOST"
    with refuses("submission.not-ready", "no account at Northquay is connected"):
        submitting.make()


def test_from_the_plan_to_the_players(submitting: Submitting) -> None:
    number = submitting.make(notes="Look at the fog.")
    assert submitting.at(number).course is Course.SENDING
    submitting.work()
    seen = submitting.at(number)
    assert (seen.course, seen.state, seen.words, seen.upload) == (Course.THERE, S.SENT, "sent", None)
    seen = submitting.until(number, S.WAITING)
    assert (seen.there, seen.ahead) == ("at the pier", 0)
    assert [s.state for s in seen.stages if s.began is None] == [S.REVIEWING, S.PASSED, S.LIVE]
    submitting.until(number, S.PASSED)
    assert [a.name for a in submitting.at(number).allowed_actions] == ["go-live", "withdraw"]
    with refuses("placement.blocked", "public for linux is Northquay's"):
        preview = submitting.client.channels.preview(TITLE, "public", 1)
        assert [f.code for f in preview.findings if f.severity == "blocker"] == ["line.storefront"]
        submitting.client.channels.place(TITLE, "public", 1, preview.etag)
    seen = submitting.client.submissions.act(TITLE, number, "go-live", share=10)
    assert (seen.state, seen.share, seen.words) == (S.PARTLY_LIVE, 10, "live in parts")
    (placed,) = submitting.client.channels.get(TITLE, "public").live
    assert (placed.build.number, placed.share, placed.state) == (1, 10.0, "growing")
    with refuses("offer.none"):
        submitting.client.channels.offer(TITLE, "public", "linux")
    submitting.client.rollouts.grow(TITLE, "public", placed.number, 50)
    assert submitting.at(number).share == 50, "growing on the channel grew it at the storefront"
    submitting.client.rollouts.hold(TITLE, "public", placed.number, "a crash")
    assert (submitting.at(number).held, submitting.client.channels.get(TITLE, "public").live[0].held_why) == (
        True,
        "a crash",
    )
    with refuses("storefront.cannot", "whole per cents"):
        submitting.client.rollouts.grow(TITLE, "public", placed.number, 60.5)
    submitting.client.rollouts.go_on(TITLE, "public", placed.number)
    assert submitting.client.submissions.act(TITLE, number, "go-live", share=100).state is S.LIVE
    assert submitting.client.channels.get(TITLE, "public").live[0].state == "whole"


def test_what_one_was_told_is_offered_to_the_next_and_nothing_goes_twice(submitting: Submitting) -> None:
    number = submitting.make(notes="Look at the fog.", share=20)
    plan = submitting.client.submissions.plan(TITLE, 1)
    assert (plan.notes, plan.share, plan.items[0].there) == ("Look at the fog.", 20, number)
    with refuses("submission.there", "peatlight#1 is at Northquay already: being sent"):
        submitting.make()
    asked = NewSubmissions(build=submitting.build("more"), to=["northquay"])
    first = submitting.client.submissions.make(TITLE, asked, key="one-key-alone")
    again = submitting.client.submissions.make(TITLE, asked, key="one-key-alone")
    assert [m.number for m in first] == [m.number for m in again] == [number + 1]


def on_board(submitting: Submitting) -> list[tuple[int, str, bool]]:
    (line,) = [line for line in submitting.client.board.get().titles[0].lines if line.platform == "linux"]
    return [(r.build, f"{r.words} at {r.storefront}", r.asks) for r in line.reviews]


def test_refused_mended_and_passed(submitting: Submitting) -> None:
    character(submitting, policy=ReviewPolicy.PEOPLE)
    assert on_board(submitting) == []
    number = submitting.make()
    assert on_board(submitting) == [(1, "being sent at Northquay", False)]
    submitting.review(number, "refuse", "The camera has no need.", "permission camera")
    ramp = submitting.client.titles.ramp(TITLE)
    marker = next(r for r in ramp.rows if r.profile == "linux-release").builds[0]
    assert ramp.stations[marker.height].name == "review"
    assert (marker.stop.code, marker.stop.message) == ("submission.waits", "northquay: refused")  # type: ignore[union-attr]
    seen = submitting.at(number)
    assert (seen.state, seen.reviewers[-1].text, seen.reviewers[-1].about) == (
        S.REFUSED,
        "The camera has no need.",
        "permission camera",
    )
    assert seen.said == "it was refused: mend it and submit again, or appeal"
    assert on_board(submitting) == [(1, "refused at Northquay", True)]
    after = submitting.make(submitting.build("no camera"), replaces=number, notes="Without it now.")
    found = submitting.at(after)
    assert found.replaces == number
    submitting.until(after, S.WAITING)
    assert on_board(submitting) == [(2, "in line at Northquay", False)]
    assert (submitting.at(number).said, submitting.at(number).mended_by) == (f"submission {after} mends it", after)
    assert found.changed[0].startswith("A new build: 1.4.0 (2) in place of 1.4.0 (1)")
    submitting.review(after, "ask", "Is the fog meant?")
    assert submitting.at(after).state is S.QUESTION
    with refuses("submission.words"):
        submitting.client.submissions.act(TITLE, after, "answer", " ")
    assert submitting.client.submissions.act(TITLE, after, "answer", "It is.").state is S.WAITING
    submitting.review(after, "ask", "Is it meant everywhere?")
    last = submitting.make(submitting.build("no fog"), replaces=after)
    submitting.review(last, "pass")
    assert submitting.at(last).state is S.PASSED
    # Reviewers need not wait for an answer any more.
    assert submitting.at(after).state is S.WITHDRAWN
    assert submitting.client.submissions.act(TITLE, number, "appeal", "It has one.").state is S.WAITING


def test_it_goes_live_by_itself_at_once_or_at_a_moment(submitting: Submitting) -> None:
    number = submitting.make(going=Going.AT_ONCE)
    submitting.until(number, S.LIVE)
    at = submitting.clock.now.replace(microsecond=0) + dt.timedelta(hours=1)
    later = submitting.make(submitting.build("later"), going=Going.AT, at=at)
    submitting.until(later, S.PASSED)
    submitting.work(3500)
    submitting.until(later, S.LIVE)
    assert submitting.at(number).state is S.LIVE or submitting.until(number, S.REPLACED)
    live = submitting.client.channels.get(TITLE, "public").live
    assert [p.build.number for p in live] == [2]
    with refuses("submission.moment"):
        submitting.make(submitting.build("never"), going=Going.AT)


def test_rolled_back_at_the_storefront_and_on_the_channel(submitting: Submitting) -> None:
    first = submitting.make(going=Going.AT_ONCE)
    submitting.until(first, S.LIVE)
    second = submitting.make(submitting.build("worse"), going=Going.AT_ONCE)
    submitting.until(second, S.LIVE)
    submitting.until(first, S.REPLACED)
    seen = submitting.client.rollouts.preview_roll_back(TITLE, "public", 1)
    submitting.client.rollouts.roll_back(TITLE, "public", 1, seen.etag)
    assert (submitting.at(first).state, submitting.at(second).state) == (S.LIVE, S.WITHDRAWN)
    live = submitting.client.channels.get(TITLE, "public").live
    assert [(p.build.number, p.back) for p in live] == [(1, True)]


def test_stopped_gone_on_and_given_up(submitting: Submitting) -> None:
    number = submitting.make()
    assert submitting.client.submissions.act(TITLE, number, "stop").course is Course.HALTED
    submitting.work()
    assert submitting.at(number).course is Course.HALTED, "nothing is sent that a person stopped"
    submitting.client.submissions.act(TITLE, number, "go-on-sending")
    submitting.work()
    assert submitting.at(number).state is S.SENT
    with refuses("state.conflict"):
        submitting.client.submissions.act(TITLE, number, "stop")
    assert submitting.client.submissions.act(TITLE, number, "withdraw").state is S.WITHDRAWN
    again = submitting.make(submitting.build("again"))
    assert submitting.client.submissions.act(TITLE, again, "withdraw").course is Course.DROPPED


def test_a_revoked_account_halts_it_and_a_mended_one_lets_it_go_on(submitting: Submitting) -> None:
    submitting.quay.trouble("revoke")
    number = submitting.make()
    submitting.work(2000)
    seen = submitting.at(number)
    assert (seen.course, "rampa storefront connect northquay" in seen.said) == (Course.HALTED, True), seen.said
    submitting.client.storefronts.come_back(lets_in(submitting.client.storefronts.connect_again("northquay").open))
    submitting.work()
    assert submitting.at(number).state is S.SENT


def test_a_storefront_from_a_backup_is_noticed_and_it_is_sent_again(submitting: Submitting) -> None:
    number = submitting.make()
    submitting.until(number, S.WAITING)
    submitting.work(20 * 3600)
    later = submitting.make(submitting.build("later"))
    submitting.until(later, S.WAITING)
    submitting.quay.trouble("forget", str(60))
    submitting.work(120)
    seen = submitting.at(later)
    assert (seen.state, "records are older" in seen.set_back) == (S.LOST, True), seen
    assert [a.name for a in seen.allowed_actions] == ["send-again"]
    submitting.client.submissions.act(TITLE, later, "send-again")
    submitting.until(later, S.SENT)
    assert [e.act for e in submitting.client.events.all(act="submission.set-back")]
    with refuses("submission.not-lost"):
        submitting.client.submissions.act(TITLE, later, "send-again")


def test_a_lost_upload_is_sent_again_under_its_code(submitting: Submitting) -> None:
    number = submitting.make()
    submitting.work()
    submitting.quay.trouble("lose")
    submitting.until(number, S.LOST)
    submitting.client.submissions.act(TITLE, number, "send-again")
    seen = submitting.until(number, S.WAITING)
    assert (seen.version_code, seen.set_back) == (1, "")


def test_a_storefront_that_is_away_is_waited_for(submitting: Submitting) -> None:
    submitting.quay.trouble("maintenance")
    number = submitting.make()
    submitting.work()
    seen = submitting.at(number)
    assert (seen.course, "tried again in" in seen.said) == (Course.SENDING, True), seen.said
    submitting.quay.trouble("maintenance", "0")
    submitting.until(number, S.SENT)


def test_what_it_found_and_we_did_not_becomes_a_check_of_the_studios_own(submitting: Submitting) -> None:
    (submitting.folder / "data/todo-later.bin").write_bytes(b"1")
    number = submitting.make(submitting.build("unfinished"))
    seen = submitting.until(number, S.WAITING)
    (found,) = seen.findings
    assert (found.code, found.where.endswith("/data/todo-later.bin"), found.rule) == ("unfinished-name", True, "")
    made = submitting.client.submissions.add_rule(RuleIn(title=TITLE, submission=number, found=1))
    assert made.text.splitlines()[0] == "[unfinished-name]"
    assert submitting.at(number).findings[0].rule == "unfinished-name"
    (item,) = submitting.client.submissions.plan(TITLE, 2, replaces=number).items
    own = next(n for n in item.needs if n.key is NeedKey.OWN)
    assert (own.state, own.findings[0].where) == (NeedState.MISSING, "data/todo-later.bin")
    with refuses("rule.exists"):
        submitting.client.submissions.add_rule(RuleIn(text=made.text))
    submitting.client.submissions.remove_rule("unfinished-name")
    assert submitting.client.submissions.rules() == []


def test_a_first_bundle_is_prepared_handed_in_and_seen(submitting: Submitting) -> None:
    character(submitting, abilities=(Ability.SHARE, Ability.FIRST_BY_HAND))
    number = submitting.make(notes="Look at the fog.")
    submitting.work()
    seen = submitting.at(number)
    assert (seen.course, seen.words) == (Course.BY_HAND, "to be handed in by a person")
    assert seen.hand_in.endswith("/studio/hand-in/example.quillback.peatlight")
    with refuses("submission.by-hand"):
        submitting.client.submissions.act(TITLE, number, "stop")
    with refuses("submission.not-there"):
        submitting.client.submissions.act(TITLE, number, "go-live")
    made = zipfile.ZipFile(io.BytesIO(submitting.client.submissions.hand_in(TITLE, number)))
    assert "rampa build bundle peatlight#1" in made.read("read-me.txt").decode()
    pictures = [n for n in made.namelist() if n.startswith("pictures/")]
    assert len(pictures) == 4, "the icon, and three of a desktop"
    bundle = b"".join(submitting.client.connection.stream(f"/api/v1/titles/{TITLE}/builds/1/bundle"))
    page = submitting.quay.http()
    mark = re.search(r'name="mark" value="([^"]+)"', page.get("/studio/hand-in/example.quillback.peatlight").text)
    assert mark
    files = [("bundle", bundle), ("sheet", made.read("sheet.json")), *(("pictures", made.read(n)) for n in pictures)]
    answer = page.post(
        "/studio/hand-in/example.quillback.peatlight",
        data={"mark": mark[1]},
        files=[(name, (name, data)) for name, data in files],
    )
    assert answer.status_code == 303, answer.text
    submitting.work(20)
    assert submitting.at(number).course is Course.THERE, "Rampa saw by itself that it was done"
    assert submitting.until(number, S.PASSED).notes == "Look at the fog."


def connect_by_hand(submitting: Submitting) -> None:
    """Over a folder, at a storefront that knows the studio."""
    submitting.client.storefronts.connect(NewStorefront(name="moorside", kind=StorefrontKind.FOLDER, title="Moorside"))
    studio = (submitting.world.services.hand_over or Path()) / "moorside" / "studio"
    studio.mkdir()
    (studio / "outcome.toml").write_text('state = "verified"')


def test_several_go_side_by_side_and_wait_for_the_slowest(submitting: Submitting) -> None:
    connect_by_hand(submitting)
    asked = NewSubmissions(build=1, to=["northquay", "moorside"], wait=True, going=Going.AT_ONCE)
    made = submitting.client.submissions.make(TITLE, asked)
    assert [(m.storefront_title, m.wait) for m in made] == [("Northquay", True), ("Moorside", True)]
    submitting.until(1, S.PASSED)
    submitting.work(60)
    assert submitting.at(1).state is S.PASSED, "Moorside has not passed it yet"
    (outcome,) = submitting.world.services.hand_over.glob("*/*/linux-1")  # type: ignore[union-attr]
    (outcome / "outcome.toml").write_text('state = "refused"\nsaid = "The icon is too dark."\n')
    submitting.until(2, S.REFUSED)
    assert submitting.at(2).reviewers[0].text == "The icon is too dark."
    (outcome / "outcome.toml").write_text('state = "passed"\n')
    submitting.work(60)
    submitting.until(1, S.LIVE)
    with refuses("storefront.cannot"):
        submitting.client.submissions.act(TITLE, 2, "go-live")
    (outcome / "outcome.toml").write_text('state = "live"\n')
    submitting.until(2, S.LIVE)
    lines = {line.line for line in submitting.client.board.get().titles[0].lines}
    assert lines == {"Linux on Northquay", "Linux on Moorside"}, "people read names"
    assert "Linux on Moorside" in {p.line for p in submitting.client.channels.get(TITLE, "public").history}


@pytest.mark.parametrize(
    ("more", "code"),
    [
        ({"to": ["moorside", "northquay"], "share": 10}, "submission.cannot"),
        ({"build": None}, "submission.what"),
        ({"share": 0}, "submission.share"),
        ({"replaces": 1, "to": ["northquay", "moorside"]}, "submission.replaces"),
        ({"replaces": 9}, "submission.unknown"),
        ({"to": ["fogbank"]}, "submission.not-ready"),
    ],
)
def test_what_makes_no_sense_is_refused_before_anything_is_sent(
    more: dict[str, object], code: str, submitting: Submitting
) -> None:
    connect_by_hand(submitting)
    with refuses(code):
        submitting.client.submissions.make(TITLE, NewSubmissions(**{"build": 1, **more}))
    assert list(submitting.client.submissions.all(TITLE)) == []


def test_what_changed_between_the_plan_and_sending_stops_it(
    submitting: Submitting, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("rampa.operations.submissions.submit.newest_listing", lambda *_: None)
    with refuses("submission.moved"):
        submitting.make()


def test_a_build_that_has_no_storefront_goes_nowhere(submitting: Submitting) -> None:
    with refuses("submission.nowhere"):
        submitting.client.submissions.plan(TITLE, submitting.build(profile="windows-release"))


def test_the_listing_says_what_players_see_and_what_is_other_now(submitting: Submitting, said: Said) -> None:
    client = submitting.client
    assert client.listings.check(TITLE).storefronts[0].live == 0
    number = submitting.make(going=Going.AT_ONCE)
    submitting.until(number, S.LIVE)
    edit = ListingEditIn(file="texts/en.toml", path=["short"], value="A night in the fog.")
    client.listings.edit(TITLE, 1, [edit])
    client.listings.save(TITLE, "Fog.")
    (standing,) = [s for s in client.listings.check(TITLE).storefronts if s.name == "northquay"]
    assert standing.live == 1
    assert "A night in the fog." in said("listing", "compare", "2", "--live", "northquay")
    assert "state 1" in said("listing", "show")
    with refuses("listing.not-live"):
        said("listing", "compare", "2", "--live", "mossgate")


def test_gates_of_the_channel_hold_back_what_goes_live_by_itself(submitting: Submitting) -> None:
    gates = GatesIn(gates=[GateIn(kind=GateKind.APPROVED, count=1)])
    submitting.client.channels.set_gates(TITLE, "public", gates)
    (item,) = submitting.client.submissions.plan(TITLE, 1).items
    assert (item.ready, states(item)[NeedKey.GATES]) == (True, NeedState.WARNING)
    with refuses("gate.closed"):
        submitting.make(going=Going.AT_ONCE)
    number = submitting.make()
    submitting.until(number, S.PASSED)
    with refuses("gate.closed", "does not go live"):
        submitting.client.submissions.act(TITLE, number, "go-live")
    submitting.world.client(Role.ENGINEER).channels.approve(TITLE, "public", 1)
    assert submitting.client.submissions.act(TITLE, number, "go-live").state is S.LIVE


@pytest.mark.parametrize("role", [Role.VIEWER, Role.TESTER, Role.REVIEWER])
def test_others_submit_nothing(role: Role, submitting: Submitting) -> None:
    with refuses("role.denied"):
        submitting.world.client(role).submissions.make(TITLE, NewSubmissions(build=1))


def test_a_finished_build_goes_by_itself_once_nothing_is_in_its_way(
    submitting: Submitting, monkeypatch: pytest.MonkeyPatch
) -> None:
    client = submitting.client
    asked = FOR_QUAY.replace('storefront = "northquay"', 'storefront = "northquay"\nsubmit = true')
    client.titles.revise(TITLE, asked, "By itself.", 1)
    (submitting.folder / "rampa.toml").write_text(asked)
    run = SimpleNamespace(started_by="the trigger night", order=SimpleNamespace(reproduces=0, trial=None))
    services = submitting.world.services
    assert finished(submitting, submitting.build("by hand")) == [], "what was made by hand is submitted by hand"
    monkeypatch.setattr(by_itself, "run_to_hand_on", lambda *_: run)
    gates = GatesIn(gates=[GateIn(kind=GateKind.APPROVED, count=1)])
    client.channels.set_gates(TITLE, "public", gates)
    number = submitting.build("first")
    (made,) = finished(submitting, number)
    assert finished(submitting, number) == [made], "twice is once"
    by_itself.begin_due(services)
    seen = submitting.at(made)
    assert (seen.course, seen.made_by) == (Course.WAITING, "the trigger night")
    assert "approved by 1 other person" in seen.said, seen.said
    newer = submitting.build("second")
    first, second = finished(submitting, newer)[::-1]
    assert (submitting.at(first).course, submitting.at(first).said) == (
        Course.DROPPED,
        f"peatlight#{newer} took its place",
    )
    client.channels.approve(TITLE, "public", newer)
    submitting.clock.pass_(seconds=60)
    by_itself.begin_due(services)
    assert submitting.at(second).course is Course.SENDING
    submitting.until(second, S.PASSED)


def finished(submitting: Submitting, number: int) -> list[int]:
    """What is there once the queue has heard that the build is finished."""
    with begin(submitting.world.services) as uow:
        ident = find_build(uow.session, TITLE, number).id
    by_itself.submit_by_itself(submitting.world.services, ident)
    return [s.number for s in submitting.client.submissions.all(TITLE)]
