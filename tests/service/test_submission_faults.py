"""Every trouble of a storefront's operator at a submission's states: it goes on, or says what a person must do;
nothing is sent twice, and no version code is lost."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

import pytest

from rampa.core.submission.course import Course
from rampa.core.submission.life import SubmissionState as S
from rampa.operations.storefronts import connection
from rampa.schema.submissions import SubmissionOut
from rampa.standin.storefront.character import ReviewPolicy
from tests.listings import TITLE
from tests.service.test_storefronts import lets_in
from tests.shops import LONG_AGO
from tests.submitting import Submitting, opens, quay, submitting

__all__ = ["opens", "quay", "submitting"]
STATES = (None, S.WAITING, S.QUESTION, S.PASSED, S.PARTLY_LIVE)
"""None: nothing of it was sent yet."""
TROUBLES = {
    "slow": "1",
    "failing": "3",
    "maintenance": "2",
    "cut": "100000",
    "revoke": "1",
    "rules": "40",
    "lose": "1",
    "forget": "600",
}


def brought(submitting: Submitting, state: S | None) -> int:
    # Each in a line of its own: what was live before is told apart by its code.
    number = submitting.make(submitting.build(f"for {state}"), share=20)
    if state is None:
        return number
    submitting.until(number, S.WAITING)
    if state is S.WAITING:
        return number
    submitting.review(number, "ask" if state is S.QUESTION else "pass", "In words.")
    if state is S.PARTLY_LIVE:
        submitting.client.submissions.act(TITLE, number, "go-live", share=20)
    return number


def mended(submitting: Submitting, number: int) -> SubmissionOut:
    """What a person does who reads what Rampa says; then time goes by."""
    for _ in range(20):
        seen = submitting.at(number)
        if "rampa storefront connect" in seen.said:
            opened = submitting.client.storefronts.connect_again("northquay").open
            submitting.client.storefronts.come_back(lets_in(opened))
        elif seen.state is S.LOST:
            assert (seen.said, seen.allowed_actions[0].name) != ("", "send-again"), "what is lost is said"
            submitting.client.submissions.act(TITLE, number, "send-again")
        elif (seen.course is Course.THERE and not seen.said and seen.state is not S.SENT) or seen.state in (
            S.QUESTION,
            S.REFUSED,
        ):
            return seen
        submitting.work(65)
    raise AssertionError(f"it neither went on nor said what to do: {submitting.at(number)}")


@pytest.mark.parametrize("trouble", TROUBLES)
def test_each_trouble_at_each_state(trouble: str, submitting: Submitting, monkeypatch: pytest.MonkeyPatch) -> None:
    shop = submitting.quay.shop
    if trouble == "slow":
        # Slower than Rampa waits for: an answer that comes after that is none.
        monkeypatch.setattr(connection, "SILENCE", 0.4)
    object.__setattr__(shop, "character", replace(shop.character, policy=ReviewPolicy.PEOPLE))
    for state in STATES:
        number = brought(submitting, state)
        submitting.quay.trouble(trouble, TROUBLES[trouble])
        if trouble == "revoke":
            # Within its half hour Rampa has a token that it believes in.
            submitting.work(65)
        submitting.work(65)
        submitting.work(125)
        if trouble in ("slow", "failing", "maintenance", "rules"):
            submitting.quay.trouble(trouble, "0")
        seen = mended(submitting, number)
        if trouble not in ("lose", "forget"):
            expected = S.WAITING if state is None else state
            assert seen.state is expected, (trouble, state, seen.said)
        submitting.quay.token_at = LONG_AGO  # the test's own token may be revoked, too
        there = submitting.quay.adapter().submissions("example.quillback.peatlight")
        kept = Counter(s.version_code for s in there if s.state is not S.LOST)
        assert kept[seen.version_code] == 1, (trouble, state, "nothing is there twice, and no code is lost")
        if seen.state not in (S.WITHDRAWN, S.REFUSED):
            submitting.client.submissions.act(TITLE, number, "withdraw")
