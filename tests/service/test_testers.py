"""People who test: groups and their seats, invitations by mail, what a link does, access until a moment."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.core.errors import Refused, Unavailable
from rampa.operations.testers import letters
from rampa.schema.common import Role
from rampa.schema.people import AcceptIn, InviteIn, PersonChange
from rampa.schema.testers import AccessIn, AddressesIn, GroupChange, JoinAccept, NewGroup
from tests.conftest import Begun, Standing, World
from tests.refusals import refuses
from tests.testing import CHANNEL, GROUP, PASSWORD, TITLE, Crew, code_in, fill, make_crew

KAISA = "kaisa@kilnyard.example"


@pytest.fixture
def crew(world: World, client: Client, begun: Begun, standing: tuple[Standing, object], tmp_path: Path) -> Crew:
    def filled() -> None:
        fill(client, tmp_path)

    begun(filled)
    return make_crew(world, client, standing[0])


def at(crew: Crew, standing: Standing, later: dt.timedelta) -> None:
    """Sets the service's clock ahead."""
    now: Callable[[], dt.datetime] = crew.world.services.now
    crew.world.services = replace(crew.world.services, now=lambda: now() + later)
    standing.now_in = crew.world.services


def test_from_a_letter_to_what_can_be_tested(crew: Crew) -> None:
    said = crew.client.testers.invite(TITLE, GROUP, AddressesIn(addresses=f"Kaisa <{KAISA}>\nonni@kilnyard.example"))
    assert (said.new, said.wrong) == (2, 0)
    assert crew.send() == 2
    to, subject, text = crew.letters[0]
    assert (to, subject) == (KAISA, "Iida invites you to test Peatlight")
    assert "Hello Kaisa" in text
    looked = crew.unknown().testers.look(code_in(text))
    assert (looked.studio, looked.title, looked.email, looked.known) == ("Quillback Works", "Peatlight", KAISA, False)
    with refuses("join.password"):
        crew.unknown().testers.join(JoinAccept(code=code_in(text)))
    crew.unknown().testers.join(JoinAccept(code=code_in(text), password=PASSWORD))
    kaisa = crew.signed_in(KAISA)
    session = kaisa.people.session()
    assert (session.person.name, session.person.role) == ("Kaisa", Role.TESTER)
    (title,) = kaisa.testers.testing().titles
    (channel,) = title.channels
    assert (title.name, channel.channel, [b.build for b in channel.builds]) == ("Peatlight", CHANNEL, [1])
    (group,) = crew.client.testers.groups(TITLE)
    assert (group.members, group.invited) == (1, 1)
    http = crew.world.app.test_client()  # type: ignore[attr-defined]
    answer = http.get("/api/v1/people", headers={"Authorization": f"Bearer {crew.world.token()}"})
    assert [p["email"] for p in answer.json["items"]] == ["iida@quillback.example"], "a tester works elsewhere"
    (tester,) = crew.client.testers.all(TITLE)
    assert (tester.groups, tester.channels, tester.devices) == ([GROUP], [CHANNEL], 0)


def test_each_line_s_mistake_is_said_and_nobody_is_invited_until_it_is_mended_or_left_out(crew: Crew) -> None:
    asked = AddressesIn(addresses=f"{KAISA}\nnobody\nonni@@kilnyard.example\n{KAISA}")
    seen = crew.client.testers.preview(TITLE, GROUP, asked)
    assert (seen.new, seen.wrong, [m.line for m in seen.mistakes]) == (1, 3, [2, 3, 4])
    with refuses("addresses.mistakes", "line 2, and 2 more lines are wrong"):
        crew.client.testers.invite(TITLE, GROUP, asked)
    assert crew.send() == 0
    without = AddressesIn(addresses=asked.addresses, leave_out_mistakes=True)
    done = crew.client.testers.invite(TITLE, GROUP, without)
    assert (done.new, crew.send()) == (1, 1)
    # The same list again invites nobody twice.
    assert crew.client.testers.invite(TITLE, GROUP, without).invited == 1
    assert crew.send() == 0


def test_a_link_works_once_and_each_other_end_has_its_sentence(crew: Crew, standing: tuple[Standing, object]) -> None:
    codes = crew.invite(KAISA, "onni@kilnyard.example", "vendla@kilnyard.example", "iida@kilnyard.example")
    unknown = crew.unknown().testers
    with refuses("join.name"):
        unknown.join(JoinAccept(code=codes[0], password=PASSWORD))
    unknown.join(JoinAccept(code=codes[0], name="Kaisa", password=PASSWORD))
    with refuses("invitation.used", "accepted already"):
        unknown.join(JoinAccept(code=codes[0], name="Kaisa", password=PASSWORD))
    unknown.decline(codes[1])
    with refuses("invitation.closed", "declined"):
        unknown.look(codes[1])
    by_email = {i.email: i for i in crew.client.testers.invitations(TITLE)}
    crew.client.testers.withdraw_invitation(TITLE, by_email["vendla@kilnyard.example"].id)
    with refuses("invitation.closed", "withdrawn"):
        unknown.look(codes[2])
    crew.client.testers.resend(TITLE, by_email["iida@kilnyard.example"].id)
    crew.send()
    with refuses("invitation.replaced", "newer letter"):
        unknown.look(codes[3])
    for foreign in ("AAAA", codes[3][:-4] + "AAAA", "x" * 43):
        with refuses("invitation.foreign"):
            unknown.look(foreign)
    newest = code_in(crew.letters[-1][2])
    assert unknown.look(newest).email == "iida@kilnyard.example"
    at(crew, standing[0], dt.timedelta(days=15))
    with refuses("invitation.expired"):
        unknown.join(JoinAccept(code=newest, name="Iida", password=PASSWORD))
    with crew.world.client() as owner:
        states = {i.email: (i.state, i.expired) for i in owner.testers.invitations(TITLE)}
        assert states["iida@kilnyard.example"] == ("open", True)
        assert [i.email for i in owner.testers.invitations(TITLE, state="expired")] == ["iida@kilnyard.example"]


def test_seats_are_counted_with_open_invitations(crew: Crew) -> None:
    crew.client.testers.change_group(TITLE, GROUP, GroupChange(seats=2))
    seen = crew.client.testers.preview(TITLE, GROUP, AddressesIn(addresses="a@x.example\nb@x.example\nc@x.example"))
    assert (seen.fits, seen.free, seen.new) == (False, 2, 3)
    with refuses("group.full", "2 free seats of 2, and 3 are needed"):
        crew.client.testers.invite(TITLE, GROUP, AddressesIn(addresses="a@x.example\nb@x.example\nc@x.example"))
    codes = crew.invite("a@x.example", "b@x.example")
    with refuses("group.seats", "2 people"):
        crew.client.testers.change_group(TITLE, GROUP, GroupChange(seats=1))
    with refuses("group.full", "0 free seats"):
        crew.client.testers.add_member(TITLE, GROUP, "iida@quillback.example")
    crew.unknown().testers.decline(codes[0])
    crew.client.testers.add_member(TITLE, GROUP, "iida@quillback.example")
    (group,) = crew.client.testers.groups(TITLE)
    assert (group.members, group.invited, group.seats) == (1, 1, 2)


def test_access_ends_at_its_moment_and_a_group_can_be_taken_off(crew: Crew, standing: tuple[Standing, object]) -> None:
    kaisa = crew.join(KAISA)
    until = crew.world.services.now() + dt.timedelta(hours=2)
    crew.client.testers.give_access(TITLE, CHANNEL, AccessIn(group=GROUP, until=until))
    assert kaisa.testers.testing().titles[0].channels[0].until == until
    crew.client.testers.give_access(TITLE, "studio", AccessIn(email=KAISA))
    assert [c.channel for c in kaisa.testers.testing().titles[0].channels] == ["studio", CHANNEL]
    at(crew, standing[0], dt.timedelta(hours=3))
    assert [c.channel for c in kaisa.testers.testing().titles[0].channels] == ["studio"]
    assert [a.ended for a in crew.client.testers.access(TITLE, CHANNEL)] == [True]
    (given,) = crew.client.testers.access(TITLE, "studio")
    crew.client.testers.take_access(TITLE, "studio", given.id)
    assert kaisa.testers.testing().titles == []
    with refuses("access.unknown"):
        crew.client.testers.take_access(TITLE, "studio", given.id)


@pytest.mark.parametrize(
    ("asked", "code"),
    [
        (AccessIn(), "access.whom"),
        (AccessIn(group=GROUP, email=KAISA), "access.whom"),
        (AccessIn(group="nobody"), "group.unknown"),
        (AccessIn(email="nobody@x.example"), "person.unknown"),
        (AccessIn(group=GROUP, until=dt.datetime(2020, 1, 1, tzinfo=dt.UTC)), "access.until"),
    ],
)
def test_what_access_cannot_be(crew: Crew, asked: AccessIn, code: str) -> None:
    with refuses(code):
        crew.client.testers.give_access(TITLE, CHANNEL, asked)


def test_a_mail_server_that_is_away_loses_nothing_and_an_address_it_refuses_says_so(
    crew: Crew, standing: tuple[Standing, object]
) -> None:
    crew.client.testers.invite(TITLE, GROUP, AddressesIn(addresses=f"{KAISA}\nonni@kilnyard.example"))
    tried: list[str] = []

    def away(to: str, _subject: str, _text: str) -> None:
        tried.append(to)
        raise Unavailable("mail.failed", "the letter could not be sent (ConnectionRefusedError)")

    assert letters.send_due(crew.world.services, away) == 0
    assert letters.send_due(crew.world.services, away) == 0
    # One is tried, then its turn comes later; the other has its own.
    assert tried == [KAISA, "onni@kilnyard.example"]
    assert {i.unsent for i in crew.client.testers.invitations(TITLE)} == {
        "the letter could not be sent (ConnectionRefusedError)"
    }
    at(crew, standing[0], dt.timedelta(hours=1))

    def refusing(to: str, subject: str, text: str) -> None:
        if to == KAISA:
            raise Refused("mail.refused", "the mail server does not take this address")
        crew.letters.append((to, subject, text))

    assert letters.send_due(crew.world.services, refusing) == 1
    at(crew, standing[0], dt.timedelta(hours=1))
    assert letters.send_due(crew.world.services, refusing) == 0
    told = {i.email: (i.unsent, i.sent_at is not None) for i in crew.client.testers.invitations(TITLE)}
    assert told == {
        KAISA: ("the mail server does not take this address", False),
        "onni@kilnyard.example": ("", True),
    }


def test_who_is_here_already_joins_without_another_account(crew: Crew) -> None:
    made = crew.client.people.invite(InviteIn(name="Onni", email="onni@quillback.example", role=Role.ENGINEER))
    (code,) = crew.invite("ONNI@quillback.example")
    assert crew.unknown().testers.look(code).known is False, "they chose no password yet"
    crew.unknown().people.accept(AcceptIn(email=made.email, code=made.code, password=PASSWORD))
    assert crew.unknown().testers.look(code).known is True
    crew.unknown().testers.join(JoinAccept(code=code, password="another password"))
    onni = crew.signed_in("onni@quillback.example")
    assert onni.people.session().person.role == Role.ENGINEER, "an invitation takes no role away"
    with pytest.raises(AssertionError, match=r"sign-in\.denied"):
        crew.signed_in("onni@quillback.example", "another password")


def test_an_owner_s_no_stays_whoever_invites(crew: Crew) -> None:
    crew.join(KAISA)
    person = next(p for p in crew.client.people.all() if p.email == KAISA)
    crew.client.people.change(person.id, PersonChange(disabled=True))
    (code,) = crew.invite(f"Kaisa <{KAISA}>", group=other_group(crew))
    with refuses("sign-in.denied", "disabled"):
        crew.unknown().testers.join(JoinAccept(code=code, name="Kaisa", password=PASSWORD))
    with refuses("person.disabled"):
        crew.client.testers.add_member(TITLE, "day-crew", KAISA)
    with refuses("person.disabled"):
        crew.client.testers.give_access(TITLE, "studio", AccessIn(email=KAISA))


def other_group(crew: Crew) -> str:
    crew.client.testers.add_group(TITLE, NewGroup(name="day-crew"))
    return "day-crew"


def test_groups_are_renamed_and_removed_with_what_they_gave(crew: Crew) -> None:
    kaisa = crew.join(KAISA)
    with refuses("group.exists"):
        crew.client.testers.add_group(TITLE, NewGroup(name=GROUP))
    crew.client.testers.change_group(TITLE, GROUP, GroupChange(name="fog-crew"))
    assert kaisa.testers.testing().titles != []
    with refuses("member.unknown"):
        crew.client.testers.remove_member(TITLE, "fog-crew", "00000000-0000-0000-0000-000000000000")
    crew.client.testers.remove_group(TITLE, "fog-crew")
    # Nothing is left for them to test: they are signed out.
    with refuses("token.unknown-bearer"):
        kaisa.testers.testing()
    assert crew.client.testers.groups(TITLE) == []
    with refuses("group.unknown"):
        crew.client.testers.remove_group(TITLE, "fog-crew")


def test_lists_filter_search_and_page(crew: Crew) -> None:
    crew.join(KAISA)
    crew.join("onni@kilnyard.example", "Onni")
    other_group(crew)
    crew.client.testers.add_member(TITLE, "day-crew", KAISA)
    assert [t.email for t in crew.client.testers.all(TITLE, limit=1)] == ["onni@kilnyard.example", KAISA]
    assert [t.email for t in crew.client.testers.all(TITLE, group="day-crew")] == [KAISA]
    assert [t.email for t in crew.client.testers.all(TITLE, search="ONN")] == ["onni@kilnyard.example"]
    assert [t.email for t in crew.client.testers.all(TITLE, search="%")] == []
    assert [i.email for i in crew.client.testers.invitations(TITLE, limit=1, state="accepted")] == [
        "onni@kilnyard.example",
        KAISA,
    ]


def test_without_an_address_of_its_own_the_service_writes_no_letters(
    world: World, client: Client, begun: Begun, tmp_path: Path
) -> None:
    def filled() -> None:
        fill(client, tmp_path)

    begun(filled)
    with refuses("invitation.nowhere"):
        client.testers.invite(TITLE, GROUP, AddressesIn(addresses=KAISA))
    with refuses("invitation.unknown"):
        client.testers.withdraw_invitation(TITLE, "00000000-0000-0000-0000-000000000000")
