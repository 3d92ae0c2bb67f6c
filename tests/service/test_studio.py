"""The studio's verification: documents, who decides, what waits; nothing goes to everybody before; at storefronts and for Rampa's
own lines."""

from __future__ import annotations

from pathlib import Path

import pytest

from rampa.client import Client
from rampa.core.placement.channels import Audience
from rampa.core.studio.verification import OWN, DocumentKind, VerificationEvent, VerificationState
from rampa.core.submission.life import SubmissionState as S
from rampa.db import the_studio
from rampa.operations.studio import verification
from rampa.schema.channels import ChannelChange, Placement
from rampa.schema.common import Role
from rampa.schema.storefront_accounts import NewStorefront, StorefrontKind
from rampa.schema.studio import StudioFacts, StudioOut, VerdictIn, VerifiedAt
from rampa.standin.storefront import verification as there
from tests.conftest import World
from tests.listings import TITLE
from tests.refusals import refuses
from tests.samples import add_key, build, import_title, make_folder
from tests.service.test_reviews import reviewer
from tests.service.test_storefronts import connected, opens, quay
from tests.shops import Quay
from tests.submitting import Submitting, submitting

__all__ = ["opens", "quay", "submitting"]
FACTS = StudioFacts(
    legal_name="Quillback Works Oy", postal_address="Alder Halt 1\n00100 Bog", contact="office@quillback.example"
)
PAPER = b"%PDF-1.7\nQuillback Works is in the register."


def new_studio(world: World) -> None:
    """As a service that was started for a studio that nobody knows."""
    with world.services.db.transaction() as session:
        row = the_studio(session)
        row.verification = row.verification.model_copy(update={"state": VerificationState.NOT_BEGUN})


def at(found: StudioOut, verifier: str) -> VerifiedAt:
    return next(v for v in found.verifications if v.verifier == verifier)


def possible(found: VerifiedAt) -> list[str]:
    return [a.name for a in found.allowed_actions if a.possible]


def place(client: Client, channel: str) -> Placement:
    return client.channels.place(TITLE, channel, 1, client.channels.preview(TITLE, channel, 1).etag)


def told(client: Client) -> None:
    client.studio.say(FACTS)
    client.studio.add_document(DocumentKind.REGISTER, "extract.pdf", PAPER)


def test_nothing_goes_to_everybody_before(client: Client, world: World, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    build(client, make_folder(tmp_path / "title", 1000), tmp_path / "state")
    new_studio(world)
    seen = client.channels.preview(TITLE, "public", 1)
    found = next(f for f in seen.findings if f.code == "studio.unverified")
    assert (seen.possible, found.severity, "rampa studio hand-in" in found.hint) == (False, "blocker", True)
    with refuses("placement.blocked", "nobody has verified the studio yet"):
        place(client, "public")
    place(client, "studio")
    with refuses("studio.unverified", "nobody has verified"):
        client.channels.change(TITLE, "studio", ChannelChange(audience=Audience.FOR_EVERYBODY))
    told(client)
    client.studio.hand_in(OWN)
    client.studio.decide(VerdictIn(verdict="verify"))
    assert place(client, "public").build.number == 1


def test_whoever_hands_it_in_does_not_decide(client: Client, world: World) -> None:
    new_studio(world)
    with refuses("studio.lacking", "its name by law, its address, a mail address, an extract"):
        client.studio.hand_in(OWN)
    first = at(client.studio.get(), OWN)
    assert (possible(first), first.missing, first.lacking[0]) == ([], ["register"], "its name by law")
    told(client)
    assert possible(at(client.studio.get(), OWN)) == ["hand-in"]
    with refuses("state.conflict", "not begun"):
        client.studio.decide(VerdictIn(verdict="verify"))
    client.studio.hand_in(OWN)
    with refuses("state.conflict", "handed in"):
        client.studio.hand_in(OWN)
    rauni = reviewer(client, world, "Rauni")
    with refuses("studio.own-word", "you handed it in"):
        client.studio.decide(VerdictIn(verdict="verify"))
    assert rauni.studio.document(DocumentKind.REGISTER) == PAPER
    with refuses("studio.words"):
        rauni.studio.decide(VerdictIn(verdict="ask", text=" "))
    asked = at(rauni.studio.decide(VerdictIn(verdict="ask", text="Whose name is on it?")), OWN)
    assert (asked.state, asked.words[-1].text, asked.words[-1].by) == ("asked", "Whose name is on it?", "Rauni")
    client.studio.hand_in(OWN)
    assert at(rauni.studio.decide(VerdictIn(verdict="refuse", text="It is another's.")), OWN).state == "refused"
    assert not rauni.studio.get().verified
    client.studio.hand_in(OWN)
    assert rauni.studio.decide(VerdictIn(verdict="verify")).verified
    acts = [e.act for e in client.events.all() if e.act.startswith("studio.")]
    assert acts[:2] == ["studio.verify", "studio.hand-in"]
    assert "studio.read-document" in acts
    assert not rauni.studio.decide(VerdictIn(verdict="end")).verified


def test_who_may_read_and_say_what(client: Client, world: World) -> None:
    told(client)
    for role in (Role.ENGINEER, Role.VIEWER):
        with world.client(role) as other:
            seen = other.studio.get()
            assert (seen.facts.legal_name, [a.possible for a in seen.allowed_actions]) == (
                "Quillback Works Oy", [False] * 3,
            )  # fmt: skip
            for call in (
                lambda other=other: other.studio.document(DocumentKind.REGISTER),
                lambda other=other: other.studio.say(FACTS),
                lambda other=other: other.studio.add_document(DocumentKind.ADDRESS, "a.pdf", PAPER),
                lambda other=other: other.studio.drop_document(DocumentKind.REGISTER),
                lambda other=other: other.studio.hand_in(OWN),
                lambda other=other: other.studio.decide(VerdictIn(verdict="verify")),
            ):
                with refuses("role.denied"):
                    call()
    with world.client(Role.TESTER) as tester, refuses("role.denied"):
        tester.studio.get()
    rauni = reviewer(client, world, "Rauni")
    with refuses("role.denied"):
        rauni.studio.say(FACTS)
    with world.services.db.transaction() as session:
        kept = session.connection().exec_driver_sql("select sealed from studio_document").scalars().all()
    assert [PAPER in bytes(each) for each in kept] == [False], "documents rest sealed"


@pytest.mark.parametrize(
    ("data", "code"),
    [
        (b"", "document.size"),
        (b"%PDF-" + bytes(8 << 20), "document.size"),
        (b"<html><script>alert(1)</script>", "document.form"),
        (b"MZ\x90\x00", "document.form"),
    ],
)
def test_what_is_no_document(data: bytes, code: str, client: Client) -> None:
    with refuses(code):
        client.studio.add_document(DocumentKind.REGISTER, "extract.pdf", data)
    assert client.studio.get().documents == []


def test_a_document_is_saved_and_never_shown_as_a_page(client: Client) -> None:
    for name in ("../../extract.pdf", "a\r\nX-Other: b.pdf", ""):
        with refuses("request.invalid"):
            client.studio.add_document(DocumentKind.REGISTER, name, PAPER)
    client.studio.add_document(DocumentKind.REGISTER, "older.png", b"\x89PNG\r\n\x1a\nfog")
    client.studio.add_document(DocumentKind.REGISTER, 'a "name" ä.pdf', PAPER)
    (only,) = client.studio.get().documents
    assert (only.name, only.media, only.size) == ('a "name" ä.pdf', "application/pdf", len(PAPER))
    answer = client.connection.request("GET", "/api/v1/studio/documents/register")
    assert answer.headers["Content-Disposition"].startswith("attachment")
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    client.studio.drop_document(DocumentKind.REGISTER)
    with refuses("document.unknown"):
        client.studio.document(DocumentKind.REGISTER)


def test_a_storefront_verifies_and_what_waits_goes_on(submitting: Submitting) -> None:
    client, shop = submitting.client, submitting.quay.shop
    there.decide(shop, VerificationEvent.END, "the operator", "The extract is too old.")
    verification.look(submitting.world.services, submitting.world.actor(), "northquay")
    seen = at(client.studio.get(), "northquay")
    assert (seen.state, seen.needs, seen.words[-1].text) == (
        "ended",
        ["register", "address"],
        "The extract is too old.",
    )
    plan = client.submissions.plan(TITLE, build=1)
    studio = next(n for n in plan.items[0].needs if n.key.value == "studio")
    assert (studio.state.value, studio.mend) == ("missing", "rampa studio hand-in northquay")
    told(client)
    with refuses("studio.lacking", "shows the studio's address"):
        client.studio.hand_in("northquay")
    client.studio.add_document(DocumentKind.ADDRESS, "bill.pdf", PAPER + b" 2")
    handed = at(client.studio.hand_in("northquay"), "northquay")
    assert (handed.state, handed.days, handed.usual_days, possible(handed)) == ("handed-in", 0, 3, ["look"])
    with refuses("state.conflict"):
        client.studio.hand_in("northquay")
    submitting.clock.pass_(hours=20)
    assert at(client.studio.get(), "northquay").days == 0
    for _ in range(3):
        submitting.work(20)
        verification.look_due(submitting.world.services)
    done = at(client.studio.get(), "northquay")
    assert (done.state, done.until is not None) == ("verified", True)
    assert ("verification", "Northquay") in {(e.kind.value, e.name) for e in client.calendar.get().items}
    assert "now: verified" in next(e.sentence for e in client.events.all(act="studio.verification"))
    number = submitting.make()
    submitting.until(number, S.PASSED)
    there.decide(shop, VerificationEvent.END, "the operator", "")
    with refuses("storefront.unverified", "the studio's verification is ended"):
        client.submissions.act(TITLE, number, "go-live")


def test_what_machines_miss_is_asked_for(quay: tuple[Quay, str], client: Client, world: World) -> None:
    shop = quay[0].shop
    shop.known = False
    connected(client, quay[1])
    told(client)
    client.studio.add_document(DocumentKind.ADDRESS, "bill.pdf", PAPER)
    with refuses("storefront.unverified"):
        quay[0].trial().storefront.submit(quay[0].trial().sent(), "key-of-nobody")
    client.studio.hand_in("northquay")
    there.decide(shop, VerificationEvent.ASK, "the operator", "Who signs?")
    found = at(client.studio.look("northquay"), "northquay")
    assert (found.state, found.words[-1].text, possible(found)) == ("asked", "Who signs?", ["hand-in", "look"])
    with refuses("storefront.unknown"):
        client.studio.hand_in("mossgate")


def test_by_hand_over_a_folder(client: Client, world: World, quay: tuple[Quay, str]) -> None:
    client.storefronts.connect(NewStorefront(name="moorside", kind=StorefrontKind.FOLDER, title="Moorside"))
    with refuses("storefront.name"):
        client.storefronts.connect(NewStorefront(name=OWN, kind=StorefrontKind.FOLDER, title="Rampa"))
    client.storefronts.look("moorside")
    told(client)
    assert at(client.studio.hand_in("moorside"), "moorside").state == "handed-in"
    folder = next((world.services.hand_over or Path()).glob("moorside*")) / "studio"
    assert "Name by law: Quillback Works Oy" in (folder / "sheet.md").read_text()
    assert (folder / "documents" / "register.pdf").read_bytes() == PAPER
    for wrong in ('state = "fog"', 'state = "verified"\nuntil = 2027-12-01T00:00:00', 'mood = "good"'):
        (folder / "outcome.toml").write_text(wrong)
        assert "outcome.toml cannot be read" in client.storefronts.look("moorside").said
    (folder / "outcome.toml").write_text('state = "verified"\nuntil = 2027-12-01T00:00:00Z')
    found = at(client.studio.look("moorside"), "moorside")
    assert (found.state, found.until is not None) == ("verified", True)
