"""Submissions by command line: the plan, sending, following, acting; rules of the studio's own."""

from __future__ import annotations

import json
from pathlib import Path

from rampa.core.submission.life import SubmissionState as S
from tests.cli.conftest import Said
from tests.refusals import refuses
from tests.submitting import Submitting, opens, quay, submitting

__all__ = ["opens", "quay", "submitting"]


def test_from_the_plan_to_the_players(submitting: Submitting, said: Said) -> None:
    plan = said("submission", "plan", "peatlight#1")
    assert "Northquay (simulated): peatlight#1, 1.4.0 (1) for linux" in plan
    assert ("○ later" in plan, "Rampa makes example.quillback.peatlight known there" in plan) == (True, True)
    assert "No submission yet" in said("submission", "list")
    assert "Not done: confirm with --yes." in said("submission", "send", "1", "--no-follow", code=1)
    sent = said("submission", "send", "1", "--no-follow", "--yes", "--notes", "Look at the fog.")
    assert "Submission 1 of peatlight: peatlight#1, 1.4.0 (1), at Northquay" in sent
    assert "being sent" in said("submission", "list", "--open")
    said("submission", "stop", "1")
    assert "halted: 0 B of" in said("submission", "list")
    said("submission", "go-on-sending", "1")
    submitting.until(1, S.PASSED)
    shown = said("submission", "show", "1")
    assert ("Look at the fog." in shown, "by an act: rampa submission go-live" in shown, "cleared" in shown) == (
        True,
    ) * 3
    assert json.loads(said("submission", "look", "1", "--json"))["state"] == "passed"
    assert "live in parts for 20 %" in said("submission", "go-live", "1", "--share", "20")
    assert "held" in said("submission", "hold", "1")
    said("submission", "go-on", "1")
    assert "for 60 %" in said("submission", "grow", "1", "--share", "60")
    assert "○" not in said("submission", "watch", "1"), "nothing is on its way that is followed"
    assert "Not done" in said("submission", "withdraw", "1", code=1)
    assert "withdrawn" in said("submission", "withdraw", "1", "--yes")


def test_what_is_missing_is_said_with_what_mends_it(submitting: Submitting, said: Said) -> None:
    submitting.client.storefronts.disconnect("northquay")
    plan = said("submission", "plan", "1", code=6)
    assert ("■ missing" in plan, "rampa storefront connect northquay --address https://HOST" in plan) == (True, True)
    with refuses("submission.not-ready", "Northquay, peatlight#1"):
        said("submission", "send", "1", "--yes")
    with refuses("submission.what"):
        said("submission", "plan")


def test_rules_are_made_shown_and_removed(submitting: Submitting, said: Said, tmp_path: Path) -> None:
    assert "No rule yet" in said("rule", "list")
    file = tmp_path / "drafts.toml"
    file.write_text('[drafts]\nsays = "a draft"\nfiles = ["bin/peatlight"]\n')
    assert "The rule drafts is checked from now on" in said("rule", "add", str(file))
    assert said("rule", "show", "drafts") == file.read_text()
    assert "a draft" in said("submission", "plan", "1", code=6)
    with refuses("rule.what"):
        said("rule", "add")
    with refuses("submission.unknown"):
        said("rule", "add", "--from", "1")
    assert "Not done" in said("rule", "remove", "drafts", code=1)
    assert "is gone" in said("rule", "remove", "drafts", "--yes")
    with refuses("rule.unknown"):
        said("rule", "show", "drafts")


def test_a_refused_one_is_appealed_and_rolled_back_ones_are_asked_for(submitting: Submitting, said: Said) -> None:
    said("submission", "send", "1", "--yes", "--no-follow", "--live", "at-once")
    submitting.until(1, S.LIVE)
    assert "Not done" in said("submission", "roll-back", "1", code=1)
    with refuses("state.conflict"):
        said("submission", "appeal", "1", "--words", "It is good.")
    with refuses("state.conflict"):
        said("submission", "answer", "1", "--words", "Yes.")
    with refuses("submission.not-lost"):
        said("submission", "send-again", "1")
    with refuses("submission.not-by-hand"):
        said("submission", "hand-in", "1")
    assert "withdrawn" in said("submission", "roll-back", "1", "--yes")
