"""Verifying the studio at a simulated storefront: by machines, by the operator, and what a stranger cannot do."""

from __future__ import annotations

import hashlib

import pytest

from rampa.core.studio.verification import DocumentKind, VerificationEvent, VerificationState
from rampa.schema import storefronts as wire
from rampa.standin.storefront import operator, verification
from rampa.standin.storefront.character import ReviewPolicy
from tests.refusals import refuses
from tests.shops import OPERATOR
from tests.storefronts.conftest import Opens

PAPER = b"%PDF-1.7 Quillback Works is in the register."
DIGEST = hashlib.sha256(PAPER).hexdigest()


def studio(**documents: str) -> wire.StudioIn:
    return wire.StudioIn(
        legal_name="Quillback Works Oy",
        postal_address="Alder Halt 1",
        contact="office@quillback.example",
        documents=documents,
    )


def test_machines_ask_for_what_is_missing_and_verify_the_rest(opens: Opens) -> None:
    quay = opens("northquay")
    quay.shop.known = False
    adapter = quay.adapter()
    assert (adapter.verification().state, adapter.account().verified) == (VerificationState.NOT_BEGUN, False)
    with refuses("storefront.document", "was not sent"):
        adapter.hand_in(studio(register=DIGEST))
    with refuses("document.digest"):
        adapter.send_document(DIGEST, PAPER + b"x")
    with refuses("document.form"):
        adapter.send_document(hashlib.sha256(b"<html>").hexdigest(), b"<html>")
    adapter.send_document(DIGEST, PAPER)
    handed = adapter.hand_in(studio(register=DIGEST))
    assert adapter.hand_in(studio(register=DIGEST)) == handed, "the same words again are no error"
    for _ in range(2):
        quay.pass_(10)
    asked = adapter.verification()
    assert (asked.state, asked.words[-1].text) == (VerificationState.ASKED, "We need a document more: address.")
    adapter.hand_in(studio(register=DIGEST, address=DIGEST))
    quay.pass_(10)
    assert adapter.verification().state is VerificationState.LOOKING
    quay.pass_(10)
    assert adapter.account().verified
    assert adapter.verification().until is not None


def test_nothing_goes_live_by_itself_while_the_studio_is_not_verified(opens: Opens) -> None:
    quay = opens("northquay")
    trial = quay.trial()
    made = trial.storefront.submit(trial.sent(going=wire.Going.AT_ONCE), "key-of-the-first")
    quay.pass_(6)
    verification.decide(quay.shop, VerificationEvent.END, "the operator", "")
    for _ in range(10):
        quay.pass_(20)
    assert trial.storefront.submission(made.id).state == "passed"
    with refuses("storefront.unverified"):
        trial.storefront.act(made.id, wire.ActIn(act="go-live"))
    trial.storefront.send_document(DIGEST, PAPER)
    trial.storefront.hand_in(studio(register=DIGEST, address=DIGEST))
    for _ in range(3):
        quay.pass_(10)
    assert trial.storefront.submission(made.id).state == "live"


def test_people_look_at_it_on_the_operators_page(opens: Opens) -> None:
    quay = opens("mossgate", policy=ReviewPolicy.PEOPLE)
    quay.shop.known = False
    adapter = quay.adapter()
    adapter.send_document(DIGEST, PAPER)
    adapter.hand_in(studio(register=DIGEST, signatory=DIGEST))
    quay.pass_(100_000)
    assert adapter.verification().state is VerificationState.HANDED_IN
    with quay.http() as http:
        page = f"/operator/{OPERATOR}"
        assert "Quillback Works Oy" in http.get(page).text
        saved = http.get(f"{page}/documents/{DIGEST}")
        assert (saved.content, saved.headers["content-disposition"]) == (PAPER, "attachment")
        assert http.get(f"/operator/wrong/documents/{DIGEST}").status_code == 404
        assert "say it in words" in http.post(f"{page}/studio", data={"event": "refuse"}).text
        assert "say what you mean" in http.post(f"{page}/studio", data={"event": "hand-in"}).text
        http.post(f"{page}/studio", data={"event": "ask", "text": "Whose is <b>it</b>?"})
        assert "Whose is &lt;b&gt;it&lt;/b&gt;?" in http.get(page).text
    assert adapter.verification().words[-1].text == "Whose is <b>it</b>?"
    adapter.hand_in(studio(register=DIGEST, signatory=DIGEST))
    verification.decide(quay.shop, VerificationEvent.VERIFY, "the operator", "")
    with refuses("state.conflict"):
        adapter.hand_in(studio(register=DIGEST))


def test_what_the_operator_cannot_say(opens: Opens) -> None:
    quay = opens("northquay")
    with refuses("storefront.hand-in"):
        verification.decide(quay.shop, VerificationEvent.HAND_IN, "the operator", "")
    with refuses("operator.event"):
        operator._known(None)
    with refuses("storefront.document"):
        verification.get_document(quay.shop, "0" * 64)


@pytest.mark.parametrize("kind", list(DocumentKind))
def test_each_storefront_asks_for_kinds_that_there_are(kind: DocumentKind, opens: Opens) -> None:
    asked = {k for name in ("northquay", "mossgate", "visorfield") for k in opens(name).shop.character.documents}
    assert kind in asked
