"""The desk of a storefront's reviewers: behind a secret, everything on one page, claims of two, notes that no studio reads."""

from __future__ import annotations

from rampa.core.submission.life import SubmissionState as S
from rampa.schema import storefronts as wire
from tests.refusals import refuses
from tests.shops import OPERATOR
from tests.storefronts.conftest import Opens

DESK = f"/reviewers/{OPERATOR}"


def test_everything_about_a_submission_is_on_one_page(opens: Opens) -> None:
    quay = opens("mossgate")
    trial = quay.trial()
    script = "<script>alert(1)</script>"
    first = trial.storefront.submit(trial.sent(permissions={"storage": "To keep the night."}), "key-00000001")
    quay.until(quay.adapter(), first.id, S.WAITING)
    quay.review(first.id, "claim")
    quay.review(first.id, "pass", "Fine.")
    quay.adapter().act(first.id, wire.ActIn(act="go-live", share=100))
    asked = trial.sent(permissions={"storage": "To keep the night.", "camera": f"To show {script} your bog."})
    second = trial.storefront.submit(asked.model_copy(update={"notes": f"Look at {script}."}), "key-00000002")
    quay.until(quay.adapter(), second.id, S.WAITING)
    with quay.http() as http:
        for secret in ("x", OPERATOR[:-1]):
            assert http.get(f"/reviewers/{secret}").status_code == 404
            assert http.post(f"/reviewers/{secret}/{second.id}", data={"act": "pass"}).status_code == 404
        queue = http.get(DESK).text
        assert (second.id in queue, first.id in queue, "<script>" in queue) == (True, False, False)
        page = http.get(f"{DESK}/{second.id}").text
        assert "<script>" not in page
        for said in ("Asks newly for camera", "Beside 1.1.0 (1)", "To keep the night.", "Rauni: Fine.", "Rating"):
            assert said in page, said


def test_a_claim_a_note_and_a_verdict(opens: Opens) -> None:
    quay = opens("mossgate")
    trial = quay.trial()
    made = trial.storefront.submit(trial.sent(), "key-00000001")
    quay.until(quay.adapter(), made.id, S.WAITING)
    with quay.http() as http:
        at = f"{DESK}/{made.id}"
        assert http.post(at, data={"act": "claim", "by": "Rauni"}).status_code == 303
        assert "Rauni has it" in http.get(DESK).text
        assert "Rauni has this submission" in http.post(at, data={"act": "pass", "by": "Oskari"}).text
        assert http.post(at, data={"act": "note", "by": "Oskari", "text": "He always says so."}).status_code == 303
        assert "Oskari, among reviewers: He always says so." in http.get(at).text
        assert "He always" not in str(quay.adapter().submission(made.id)), "no studio reads what reviewers note"
        assert "say it in words" in http.post(at, data={"act": "refuse", "by": "Rauni", "reason": "other"}).text
        assert (
            "choose a reason"
            in http.post(at, data={"act": "refuse", "by": "Rauni", "text": "No.", "reason": "fog"}).text
        )
        refusal = {
            "act": "refuse",
            "by": "Rauni",
            "reason": "picture",
            "text": "Picture 2 is of a harbour.",
            "about": "picture 2",
        }
        assert http.post(at, data=refusal).status_code == 303
        assert "Nothing waits." in http.get(DESK).text
        assert "Week from" in http.get(DESK).text
    (word,) = quay.adapter().submission(made.id).words
    assert (word.by, word.about, word.reason) == ("Rauni", "picture 2", "picture")
    for act, code in (("fog", "review.act"), ("note", "review.words")):
        with refuses(code):
            quay.review(made.id, act)


def test_what_is_withdrawn_or_replaced_while_it_is_claimed(opens: Opens) -> None:
    quay = opens("mossgate")
    trial = quay.trial()
    made = trial.storefront.submit(trial.sent(), "key-00000001")
    quay.until(quay.adapter(), made.id, S.WAITING)
    quay.review(made.id, "claim")
    quay.adapter().act(made.id, wire.ActIn(act="withdraw"))
    with refuses("state.conflict", "withdrawn: pass is not possible now"):
        quay.review(made.id, "pass")
    with quay.http() as http:
        assert "withdrawn" in http.get(f"{DESK}/{made.id}").text
