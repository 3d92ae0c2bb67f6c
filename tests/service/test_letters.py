"""Letters about what happened: chosen by kind and title, at once or once a day, told once, and one for a storm."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from string import Formatter

import pytest
from sqlalchemy import insert, text

from rampa.client import Client
from rampa.core.notices.kinds import KINDS, NoticeKind, NoticeTime, kind_of
from rampa.db import AuditEventRow, new_id
from rampa.operations.base import begin
from rampa.operations.base.sentences import SENTENCES
from rampa.operations.notices import telling
from rampa.schema.common import Role
from rampa.schema.people import PersonChange
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import DOCUMENT, import_title

TITLE = "peatlight"
POCKET = DOCUMENT.replace("quillback.peatlight", "quillback.pocket").replace('"Peatlight"', '"Peatlight Pocket"')
NOON = dt.datetime(2027, 1, 10, 12, tzinfo=dt.UTC)


class Letters:
    """What goes to whom; `at` moves the clock by which it is told."""

    def __init__(self, world: World) -> None:
        self.world, self.now = world, NOON

    def happen(self, act: str, title: str | None = TITLE, who: str = "Oskari", count: int = 1) -> None:
        subject = "Peatlight #7"
        with begin(self.world.services) as uow:
            rows = [
                {
                    "id": new_id(),
                    "at": self.now,
                    "who": who,
                    "act": act,
                    "subject": subject,
                    "title": title,
                    "detail": dict.fromkeys(audit_fields(act), "x"),
                    "request_id": "",
                }
                for _ in range(count)
            ]
            uow.session.execute(insert(AuditEventRow), rows)

    def after(self, **passed: float) -> list[tuple[str, str, str]]:
        """(to, subject, text) of the letters that go, so much later."""
        self.now += dt.timedelta(**passed)
        telling.tell_due(replace(self.world.services, now=lambda: self.now))
        with begin(self.world.services) as uow:
            rows = text("delete from procrastinate_jobs where task_name = 'send_letter' returning args")
            found = [row[0] for row in uow.session.execute(rows)]
        return [(a["to"], a["subject"], a["text"]) for a in found]


def audit_fields(act: str) -> list[str]:
    return [f for _, f, _, _ in Formatter().parse(SENTENCES[act]) if f and f != "subject"]


@pytest.fixture
def letters(world: World, client: Client) -> Letters:
    import_title(client)
    import_title(client, POCKET)
    return Letters(world)


def test_who_chose_nothing_is_told_nothing(letters: Letters, client: Client) -> None:
    letters.happen("run.fail")
    assert letters.after(days=2) == []
    assert {c.time for c in client.letters.choices()} == {NoticeTime.NEVER}


def test_at_once_and_once(letters: Letters, client: Client) -> None:
    client.letters.choose(NoticeKind.RUNS, NoticeTime.AT_ONCE)
    letters.happen("run.fail")
    letters.happen("build.complete")
    ((to, subject, said),) = letters.after(seconds=10)
    assert to == "iida@quillback.example"
    assert subject.startswith("Oskari ")
    assert "peatlight: runs that fail" in said
    assert letters.after(hours=30) == []


def test_a_storm_is_one_letter(letters: Letters, client: Client) -> None:
    client.letters.choose(NoticeKind.RUNS, NoticeTime.AT_ONCE)
    letters.happen("run.fail")
    assert len(letters.after(seconds=10)) == 1
    letters.happen("run.fail", count=500)
    assert letters.after(seconds=10) == [], "not more often than every five minutes"
    ((_, subject, said),) = letters.after(minutes=5)
    assert subject == "500 things happened in peatlight"
    assert len(said.splitlines()) < 30


def test_ten_thousand_events_are_one_digest(letters: Letters, client: Client) -> None:
    client.letters.choose(NoticeKind.RUNS, NoticeTime.DAILY)
    client.letters.choose(NoticeKind.HEALTH, NoticeTime.DAILY)
    letters.after(days=1)
    letters.happen("run.fail", count=10_000)
    letters.happen("health.worse")
    assert letters.after(hours=2) == []
    ((_, subject, said),) = letters.after(hours=17)
    assert subject == "Yesterday: 10,001 things happened in peatlight"
    assert "peatlight: builds that do worse than the one before (1)" in said
    assert "… and 9,601 more." in said
    assert len(said) < 4000
    assert letters.after(days=3) == []


def test_a_title_s_own_choice_goes_before_the_one_for_all(letters: Letters, client: Client) -> None:
    client.letters.choose(NoticeKind.RUNS, NoticeTime.AT_ONCE)
    client.letters.choose(NoticeKind.RUNS, NoticeTime.NEVER, "peatlight-pocket")
    letters.happen("run.fail", "peatlight-pocket")
    assert letters.after(minutes=6) == []
    letters.happen("run.fail", TITLE)
    assert len(letters.after(minutes=6)) == 1
    client.letters.choose(NoticeKind.RUNS, None, "peatlight-pocket")
    letters.happen("run.fail", "peatlight-pocket")
    assert len(letters.after(minutes=6)) == 1
    with refuses("notice.studio"):
        client.letters.choose(NoticeKind.SIGNING, NoticeTime.DAILY, TITLE)


def test_what_one_did_oneself_is_no_news(letters: Letters, client: Client) -> None:
    client.letters.choose(NoticeKind.CHANNELS, NoticeTime.AT_ONCE)
    letters.happen("placement.hold", who="Iida")
    assert letters.after(minutes=6) == []


def test_who_may_not_read_any_more_is_told_nothing(letters: Letters, world: World, client: Client) -> None:
    with world.client(Role.VIEWER) as viewer:
        viewer.letters.choose(NoticeKind.RUNS, NoticeTime.AT_ONCE)
        letters.happen("run.fail")
    viewers = next(p for p in client.people.all() if p.role == Role.VIEWER)
    client.people.change(viewers.id, PersonChange(disabled=True))
    assert letters.after(minutes=6) == []
    with world.client(Role.TESTER) as tester, refuses("role.denied"):
        tester.letters.choose(NoticeKind.RUNS, NoticeTime.AT_ONCE)


def test_who_wants_nothing_any_more_is_told_nothing_of_what_waited(letters: Letters, client: Client) -> None:
    client.letters.choose(NoticeKind.RUNS, NoticeTime.DAILY)
    letters.happen("run.fail", count=5)
    client.letters.choose(NoticeKind.RUNS, NoticeTime.NEVER)
    assert letters.after(days=2) == []


def test_every_kind_stands_for_acts_that_there_are() -> None:
    for kind, of in KINDS.items():
        for beginning in of.acts:
            found = [act for act in SENTENCES if act.startswith(beginning)]
            assert found, beginning
            assert {kind_of(act) for act in found} == {kind}


def test_choices_of_an_earlier_version_are_kept_up(letters: Letters, world: World, client: Client) -> None:
    client.letters.choose(NoticeKind.RUNS, NoticeTime.AT_ONCE)
    with begin(world.services) as uow:
        uow.session.execute(text("""update notice_choice set acts = '["run.stop"]'"""))
    letters.after(seconds=1)
    letters.happen("run.fail")
    assert len(letters.after(seconds=1)) == 1
