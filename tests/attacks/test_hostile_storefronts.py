"""A storefront, or somebody who says to be one: forged notices, words that command, answers that would fill the database."""

from __future__ import annotations

import base64
import datetime as dt
import json

import pytest
from standardwebhooks import Webhook

from rampa.client import Client
from rampa.core.submission.life import SubmissionState as S
from rampa.db import find_storefront
from rampa.operations.base import begin
from rampa.operations.storefronts.connection import secrets_of
from rampa.schema.common import Role
from rampa.schema.submissions import NewSubmissions, RuleIn
from tests.listings import TITLE
from tests.refusals import refuses
from tests.submitting import Submitting, opens, quay, submitting

__all__ = ["opens", "quay", "submitting"]
OTHER = "whsec_" + base64.b64encode(b"x" * 24).decode()


def key_of(submitting: Submitting) -> str:
    with begin(submitting.world.services) as uow:
        return secrets_of(uow, find_storefront(uow.session, "northquay")).notices


def told(submitting: Submitting, key: str, body: str, storefront: str = "northquay", age: float = 0) -> tuple[int, str]:
    moment = dt.datetime.now(dt.UTC) - dt.timedelta(seconds=age)
    signed = Webhook(key).sign("n-1", moment, body)
    headers = {"webhook-id": "n-1", "webhook-timestamp": str(int(moment.timestamp())), "webhook-signature": signed}
    with submitting.world.client().connection._http as http:
        answer = http.post(f"/api/v1/storefronts/{storefront}/notices", content=body, headers=headers)
    return answer.status_code, "" if answer.status_code == 204 else answer.json()["code"]


def test_a_notice_is_taken_only_from_who_has_the_key(submitting: Submitting) -> None:
    number = submitting.make()
    submitting.until(number, S.WAITING)
    key, body = key_of(submitting), json.dumps({"submission": submitting.there(number)})
    assert key.startswith("whsec_"), "the storefront gave it when the account was let in"
    refused = (403, "notice.signature")
    assert told(submitting, OTHER, body) == refused
    assert told(submitting, key, body, "fogbank") == refused, "there is no such account, and that is not told"
    assert told(submitting, key, body, age=3600) == refused, "one that somebody kept and sends again"
    assert told(submitting, key, "[]") == (422, "notice.form")
    assert told(submitting, key, json.dumps({"submission": "x" * 5000})) == (422, "notice.large")
    assert told(submitting, key, body) == (204, "")


def test_words_of_a_reviewer_are_text_and_stay_within_bounds(
    submitting: Submitting, capsys: pytest.CaptureFixture[str]
) -> None:
    number = submitting.make()
    submitting.until(number, S.WAITING)
    nasty = "<script>alert(1)</script>\x1b[2J\u202ereversed [link](javascript:1)"
    submitting.quay.review(submitting.there(number), "claim")
    submitting.quay.review(submitting.there(number), "refuse", nasty, "permission camera")
    submitting.work()
    assert submitting.at(number).reviewers[-1].text == nasty, "kept as it was written, shown as text alone"


@pytest.mark.parametrize("role", [Role.VIEWER, Role.TESTER, Role.REVIEWER, Role.AGENT, Role.DEVICE])
def test_who_may_not_submits_nothing_and_makes_no_rules(role: Role, submitting: Submitting) -> None:
    number = submitting.make()
    stranger: Client = submitting.world.client(role)
    with refuses("role.denied"):
        stranger.submissions.make(TITLE, NewSubmissions(build=1))
    for act in ("stop", "withdraw", "go-live"):
        with refuses("role.denied"):
            stranger.submissions.act(TITLE, number, act)
    with refuses("role.denied"):
        stranger.submissions.add_rule(RuleIn(text='[a]\nsays = "x"\nfiles = ["a"]\n'))


def test_rules_are_bounded(submitting: Submitting, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("rampa.operations.submissions.rules.MOST", 1)
    submitting.client.submissions.add_rule(RuleIn(text='[a]\nsays = "x"\nfiles = ["a"]\n'))
    with refuses("rule.many"):
        submitting.client.submissions.add_rule(RuleIn(text='[b]\nsays = "x"\nfiles = ["a"]\n'))
    submitting.make()
    with refuses("submission.finding"):
        submitting.client.submissions.add_rule(RuleIn(title=TITLE, submission=1, found=1))
