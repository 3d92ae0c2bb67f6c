"""The studio's calendar: what is in it for whom, agreements, reminders, a feed that other programs read."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import icalendar
import pytest
from sqlalchemy import text

from rampa.client import Client
from rampa.operations.calendar import calendar
from rampa.operations.storefronts import accounts
from rampa.schema.calendar import NewAgreement
from rampa.schema.common import Role
from rampa.schema.people import PersonChange
from tests.cli.conftest import Said, said
from tests.clock import Clock
from tests.conftest import World
from tests.listings import TITLE, send, write_listing
from tests.refusals import refuses
from tests.samples import add_key, import_title
from tests.service.test_storefronts import connected, opens, quay
from tests.shops import Quay

__all__ = ["opens", "quay", "said"]


def letters(world: World) -> list[str]:
    with world.services.db.transaction() as session:
        rows = session.execute(text("select args->>'text' from procrastinate_jobs where task_name = 'send_letter'"))
        return [str(body) for (body,) in rows]


def agreement(name: str = "northquay-terms", days: float = 40) -> NewAgreement:
    return NewAgreement(name=name, partner="Northquay", ends_at=dt.datetime.now(dt.UTC) + dt.timedelta(days=days))


def test_everything_that_ends_is_in_it(client: Client, world: World, quay: tuple[Quay, str], tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    send(client, write_listing(tmp_path / "listing"))
    client.listings.affirm(TITLE, 1, "Iida")
    quay[0].now = dt.datetime.now(dt.UTC)
    connected(client, quay[1])
    accounts.look(world.services, world.actor(), "northquay")
    world.token(days=20)
    client.calendar.agree(agreement())
    found = client.calendar.get()
    assert [(e.kind.value, e.name, round(e.days, -1)) for e in found.items] == [
        ("token", "test of Iida", 20),
        ("agreement", "northquay-terms with Northquay", 40),
        ("rating", "Peatlight", 360),
        ("account", "Northquay", 360),
        ("verification", "Northquay", 360),
        ("certificate", "quillback-2026", round(found.items[-1].days, -1)),
    ]
    viewer = world.client(Role.VIEWER)
    assert "token" not in {e.kind.value for e in viewer.calendar.get().items}, "tokens are one's own"
    with refuses("role.denied"):
        viewer.calendar.agree(agreement())


def test_agreements_are_written_down_moved_and_dropped(client: Client) -> None:
    client.calendar.agree(agreement(days=40))
    found = client.calendar.agree(agreement(days=80))
    assert [(e.name, e.days > 70) for e in found.items] == [("northquay-terms with Northquay", True)]
    with refuses("agreement.partner"):
        client.calendar.agree(NewAgreement(name="northquay-terms", partner="Mossgate", ends_at=agreement().ends_at))
    with refuses("agreement.ends"):
        client.calendar.agree(agreement(days=-1))
    client.calendar.drop_agreement("northquay-terms")
    with refuses("agreement.unknown"):
        client.calendar.drop_agreement("northquay-terms")


def test_owners_are_reminded_once_at_each_distance(client: Client, world: World) -> None:
    clock = Clock(world)
    client.calendar.agree(agreement(days=40))
    assert calendar.remind_due(world.services) == 0
    clock.pass_(days=12)
    assert [calendar.remind_due(world.services) for _ in range(2)] == [1, 0]
    (letter,) = letters(world)
    assert "northquay-terms with Northquay: agreement ends in 28 days" in letter
    clock.pass_(days=27, hours=12)
    assert calendar.remind_due(world.services) == 1
    world.client().calendar.agree(agreement(days=400))
    clock.pass_(days=350)
    assert calendar.remind_due(world.services) == 1, "another end is told of anew"


def test_a_feed_is_read_by_its_secret_alone(client: Client, world: World) -> None:
    client.calendar.agree(agreement())
    secret = client.calendar.make_feed().rpartition("/")[2]
    http = world.client().connection._http
    answer = http.get(f"/api/v1/calendar/feeds/{secret}", headers={"Authorization": ""})
    assert answer.headers["content-type"] == "text/calendar; charset=utf-8"
    made = icalendar.Calendar.from_ical(answer.content)
    (event,) = made.walk("VEVENT")
    assert str(event["summary"]) == "northquay-terms with Northquay: agreement ends"
    assert [str(a["action"]) for a in event.walk("VALARM")] == ["DISPLAY"]
    again = client.calendar.make_feed().rpartition("/")[2]
    for gone in (secret, "x" * 43):
        assert http.get(f"/api/v1/calendar/feeds/{gone}").json()["code"] == "calendar.feed"
    client.calendar.end_feed()
    assert http.get(f"/api/v1/calendar/feeds/{again}").status_code == 404


@pytest.mark.parametrize("end", ["disable", "role"])
def test_the_feed_of_somebody_who_is_gone_ends(end: str, client: Client, world: World) -> None:
    engineer = world.client(Role.ENGINEER)
    secret = engineer.calendar.make_feed().rpartition("/")[2]
    person = next(p for p in client.people.all() if p.role == Role.ENGINEER)
    if end == "disable":
        client.people.change(person.id, PersonChange(disabled=True))
    else:
        client.people.change(person.id, PersonChange(role=Role.TESTER))
    assert client.connection._http.get(f"/api/v1/calendar/feeds/{secret}").status_code == 404


def test_by_command_line(client: Client, said: Said) -> None:
    assert "Nothing of the studio ends." in said("calendar", "list")
    assert "ends 20" in said("calendar", "agree", "northquay-terms", "--with", "Northquay", "--until", "20d")
    listed = said("calendar", "list")
    assert ("▲ 20 days" in listed, "at 30, 7, 1 days" in listed) == (True, True)
    assert "/api/v1/calendar/feeds/" in said("calendar", "feed")
    assert "Not done" in said("calendar", "feed", code=1)
    assert "ended" in said("calendar", "feed", "--end")
    assert "Not done" in said("calendar", "drop", "northquay-terms", code=1)
    assert "is gone" in said("calendar", "drop", "northquay-terms", "--yes")
