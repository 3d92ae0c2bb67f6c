"""A submission at a simulated storefront, from sent to live: by machines, by people, slowly; refused, shared, rolled back."""

from __future__ import annotations

import datetime as dt
import hashlib
import io
import zipfile

import pytest

from rampa.core.bundle.sources import BytesSource, read_through
from rampa.core.submission.life import SubmissionState as S
from rampa.schema import storefronts as wire
from rampa.standin.storefront.character import ReviewPolicy
from rampa.storefronts.conformance import PICTURE, Trial
from rampa.storefronts.port import Sending
from tests.refusals import refuses
from tests.storefronts.conftest import Opens


def submitted(trial: Trial, **changed: object) -> wire.SubmissionAt:
    return trial.storefront.submit(trial.sent(**changed), f"key-{trial.code:08}")


def whole(bundle: BytesSource) -> bytes:
    return b"".join(read_through(bundle, 0, bundle.size))


def with_bundle(trial: Trial, files: dict[str, bytes]) -> wire.SubmissionAt:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    data = out.getvalue()
    digest = hashlib.sha256(data).hexdigest()
    upload = trial.storefront.send_bundle(BytesSource(data), digest, Sending())
    return submitted(trial, upload=upload, sha256=digest)


def test_by_machines_from_sent_to_live(opens: Opens) -> None:
    quay = opens("northquay")
    trial = quay.trial()
    first = submitted(trial, going=wire.Going.AT_ONCE)
    second = submitted(trial)
    assert (first.state, first.there, first.can) == (S.SENT, "sent", ["withdraw"])
    quay.pass_(6)
    waiting = trial.storefront.submission(second.id)
    assert (waiting.state, waiting.ahead, waiting.there) == (S.WAITING, 1, "at the pier")
    adapter = quay.adapter()
    live = quay.until(adapter, first.id, S.LIVE)
    assert [e.state for e in live.events] == [
        S.SENT, S.UNPACKED, S.CHECKING, S.WAITING, S.REVIEWING, S.PASSED, S.LIVE,
    ]  # fmt: skip
    passed = quay.until(adapter, second.id, S.PASSED)
    assert passed.can == ["withdraw", "go-live"]
    assert [o.version_code for o in trial.storefront.title(trial.identifier).offered] == [1]


def test_a_part_of_the_players_then_all_held_and_rolled_back(opens: Opens) -> None:
    quay = opens("northquay")
    trial, adapter = quay.trial(), quay.adapter()
    for going in (wire.Going.AT_ONCE, wire.Going.BY_ACT):
        submitted(trial, going=going)
    first, second = reversed(adapter.submissions(trial.identifier))
    quay.until(adapter, first.id, S.LIVE)
    quay.until(adapter, second.id, S.PASSED)
    adapter.act(second.id, wire.ActIn(act="go-live", share=10))
    offered = adapter.title(trial.identifier).offered
    assert [(o.version_code, o.share) for o in offered] == [(2, 10), (1, 100)]
    with refuses("storefront.share", "10 % of the players have it, and 5 % would be fewer"):
        adapter.act(second.id, wire.ActIn(act="share", share=5))
    assert adapter.act(second.id, wire.ActIn(act="hold")).held
    assert not adapter.act(second.id, wire.ActIn(act="go-on")).held
    assert adapter.act(second.id, wire.ActIn(act="share", share=100)).state is S.LIVE
    assert adapter.submission(first.id).state is S.REPLACED
    adapter.act(second.id, wire.ActIn(act="roll-back"))
    assert [o.version_code for o in adapter.title(trial.identifier).offered] == [1]
    assert adapter.submission(first.id).state is S.LIVE


def test_by_people_who_ask_refuse_and_hear_an_appeal(opens: Opens) -> None:
    quay = opens("mossgate")
    trial, adapter = quay.trial(), quay.adapter()
    made = submitted(trial)
    quay.until(adapter, made.id, S.WAITING)
    quay.pass_(86_400)
    assert adapter.submission(made.id).state is S.WAITING, "nobody claims it by themselves"
    quay.review(made.id, "claim")
    assert adapter.submission(made.id).there == "at the gate"
    with refuses("review.words"):
        quay.review(made.id, "ask")
    with refuses("review.reason"):
        quay.review(made.id, "refuse", "No.", reason="because")
    quay.review(made.id, "ask", "What does it need the camera for?", about="permission camera")
    with refuses("storefront.words"):
        adapter.act(made.id, wire.ActIn(act="answer", text=" "))
    adapter.act(made.id, wire.ActIn(act="answer", text="For the fog."))
    quay.review(made.id, "claim")
    quay.review(made.id, "refuse", "Fog needs no camera.", about="permission camera")
    seen = adapter.submission(made.id)
    assert [(w.by, w.text, w.about) for w in seen.words] == [
        ("Rauni", "What does it need the camera for?", "permission camera"),
        ("the studio", "For the fog.", ""),
        ("Rauni", "Fog needs no camera.", "permission camera"),
    ]
    assert (seen.state, seen.can) == (S.REFUSED, ["appeal", "withdraw"])
    adapter.act(made.id, wire.ActIn(act="appeal", text="It is off to begin with."))
    quay.review(made.id, "claim")
    quay.review(made.id, "pass", "So it is.")
    assert adapter.submission(made.id).state is S.PASSED
    quay.review(made.id, "refuse", "I have changed my mind.", reason="other")
    assert adapter.submission(made.id).state is S.REFUSED


def test_a_reviewer_who_vanishes_loses_the_claim(opens: Opens) -> None:
    quay = opens("mossgate")
    trial, adapter = quay.trial(), quay.adapter()
    made = submitted(trial)
    quay.until(adapter, made.id, S.WAITING)
    quay.review(made.id, "claim")
    with refuses("review.claimed"):
        quay.review(made.id, "claim", by="Tuomas")
    quay.pass_(901)
    seen = adapter.submission(made.id)
    assert (seen.state, seen.events[-1].said) == (S.WAITING, "Rauni did not come back")
    quay.review(made.id, "claim", by="Tuomas")
    adapter.act(made.id, wire.ActIn(act="withdraw"))
    with refuses("state.conflict", "withdrawn: pass is not possible now"):
        quay.review(made.id, "pass", by="Tuomas")


def test_its_own_checks_find_what_nobody_was_told_of(opens: Opens) -> None:
    quay = opens("mossgate")
    trial, adapter = quay.trial(), quay.adapter()
    reasons = with_bundle(trial, {"readme.txt": b"A game."})
    spoken = with_bundle(trial, {"notes.txt": b"INTERNAL ONLY until the fair."})
    camera = submitted(trial, permissions={"camera": "fog", "vibrate": ""})
    broken = submitted(trial)
    for made in (spoken, camera):
        quay.until(adapter, made.id, S.REFUSED)
    assert [f.code for f in adapter.submission(spoken.id).findings] == ["private-words"]
    assert adapter.submission(spoken.id).words[0].about == "notes.txt"
    assert [f.where for f in adapter.submission(camera.id).findings] == ["permission camera"]
    assert adapter.submission(reasons.id).state is S.WAITING
    assert adapter.submission(broken.id).state is S.WAITING, "what is no archive in ZIP is not looked into"
    quay.trouble("rules", "0")
    quay.trouble("rules", "40")
    late = submitted(trial, permissions={"location": "for the thaw at night"})
    assert quay.until(adapter, late.id, S.REFUSED).findings[0].code == "permission-reason"


def test_a_cut_archive_and_a_listing_that_is_not_whole(opens: Opens) -> None:
    quay = opens("northquay")
    trial, adapter = quay.trial(), quay.adapter()
    asked = trial.sent()
    listing = asked.listing.model_copy(update={"pictures": {}, "rated_by": ""})
    thin = adapter.submit(asked.model_copy(update={"listing": listing}), "key-listing")
    found = {f.code for f in quay.until(adapter, thin.id, S.REFUSED).findings}
    assert found == {"listing-pictures", "rating-nobody"}
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("copy of fog.txt", b"x" * 900)
    data = out.getvalue()
    for sent, code in ((data[:200], "unreadable"), (data, "unfinished-name")):
        digest = hashlib.sha256(sent).hexdigest()
        upload = adapter.send_bundle(BytesSource(sent), digest, Sending())
        made = submitted(trial, upload=upload, sha256=digest)
        quay.until(adapter, made.id, S.REFUSED if code == "unreadable" else S.WAITING)
        assert [f.code for f in adapter.submission(made.id).findings] == [code]


def test_slowly_and_at_a_moment(opens: Opens) -> None:
    quay = opens("visorfield", abilities=(wire.Ability.MOMENT,))
    trial, adapter = quay.trial(), quay.adapter()
    at = quay.now + dt.timedelta(hours=2)
    made = submitted(trial, going=wire.Going.AT, at=at)
    with refuses("storefront.cannot", "to all players or to none"):
        submitted(trial, share=10)
    quay.pass_(30)
    assert adapter.submission(made.id).state is S.WAITING
    quay.until(adapter, made.id, S.PASSED)
    quay.pass_(3600)
    assert adapter.submission(made.id).state is S.PASSED
    quay.pass_(3600)
    assert adapter.submission(made.id).state is S.LIVE
    with refuses("storefront.cannot", "hears no appeals"):
        adapter.act(made.id, wire.ActIn(act="appeal", text="Why?"))


def test_what_it_takes_at_all(opens: Opens) -> None:
    quay = opens("mossgate", policy=ReviewPolicy.PEOPLE)
    trial, adapter = quay.trial(), quay.adapter()
    made = submitted(trial, certificate="a" * 64)
    with refuses("storefront.certificate", "was always signed with aaaaaaaaaaaa"):
        submitted(trial, certificate="b" * 64)
    asked = trial.sent()
    with refuses("storefront.key", "used for another submission"):
        adapter.submit(asked, "key-00000001")
    with refuses("storefront.cannot", "shows nothing at a moment"):
        submitted(trial, going=wire.Going.AT, at=quay.now)
    icon = asked.listing.model_copy(update={"icon": "0" * 64})
    with refuses("storefront.picture", "1 pictures of the listing were not sent"):
        adapter.submit(asked.model_copy(update={"listing": icon}), "key-icon")
    with refuses("storefront.bundle"):
        adapter.submit(asked.model_copy(update={"sha256": "0" * 64}), "key-other")
    with refuses("storefront.title"):
        adapter.submit(asked.model_copy(update={"identifier": "example.none"}), "key-none")
    with refuses("picture.digest"):
        adapter.send_picture("0" * 64, b"\x89PNG")
    with refuses("picture.form"):
        adapter.send_picture("0" * 64, b"GIF89a")
    with refuses("picture.large"):
        adapter.send_picture("0" * 64, bytes(9 << 20))
    assert [s.id for s in adapter.submissions(trial.identifier)] == [made.id]


def test_players_find_only_what_is_on_show(opens: Opens) -> None:
    quay = opens("northquay")
    trial, adapter = quay.trial(), quay.adapter()
    made = submitted(trial)
    quay.until(adapter, made.id, S.PASSED)
    with quay.http() as http:
        assert "Nothing is on show yet." in http.get("/").text
        page = f"/title/{trial.identifier}"
        assert http.get(page).status_code == 404
        adapter.act(made.id, wire.ActIn(act="go-live", share=30))
        assert "Peatlight" in http.get("/", params={"search": "peat"}).text
        assert "No title is named like that." in http.get("/", params={"search": "%"}).text
        shown = http.get(page, headers={"Accept-Language": "fi, en"}).text
        assert ("30 % of the players" in shown, "Fog lies on the bog." in shown) == (True, True)
        answers = [http.get(f"{page}/linux/bundle", params={"device": f"d{n}"}) for n in range(60)]
        got = [a for a in answers if a.status_code == 200]
        assert 5 < len(got) < 40
        assert (got[0].headers["Rampa-Version-Code"], len(got[0].content)) == ("1", 300_000)
        assert http.get(f"{page}/linux/bundle", params={"device": "d1"}).status_code == answers[1].status_code
        adapter.act(made.id, wire.ActIn(act="hold"))
        assert http.get(f"{page}/linux/bundle", params={"device": "d1"}).json()["code"] == "storefront.offer"
        assert "nobody new: it is held" in http.get(page).text
        icon = made.sha256 and trial.next()[0].listing.icon
        assert http.get(f"/pictures/{icon}").headers["content-type"] == "image/png"
        assert http.get(f"/pictures/{'0' * 64}").status_code == 404


@pytest.mark.parametrize(
    ("files", "code"),
    [({"bundle": b"x"}, "storefront.hand-in"), ({"bundle": b"x", "sheet": b"[fog"}, "storefront.sheet")],
)
def test_what_is_handed_in_wrongly_is_said_on_the_page(files: dict[str, bytes], code: str, opens: Opens) -> None:
    quay = opens("visorfield")
    trial = quay.trial()
    with quay.http() as http:
        page = http.get(f"/studio/hand-in/{trial.identifier}")
        mark = page.text.partition('name="mark" value="')[2].partition('"')[0]
        said = {"storefront.hand-in": "choose the bundle and its sheet", "storefront.sheet": "the sheet cannot be read"}
        assert said[code] in http.post(page.url.path, data={"mark": mark}, files=files).text
    assert quay.adapter().title(trial.identifier).first_pending


def test_a_first_bundle_is_handed_in_by_a_person(opens: Opens) -> None:
    quay = opens("visorfield")
    trial, adapter = quay.trial(), quay.adapter()
    title = adapter.title(trial.identifier)
    assert (title.first_pending, title.hand_in_at.endswith(f"/studio/hand-in/{trial.identifier}")) == (True, True)
    asked, bundle = trial.next()
    sent = asked.model_copy(update={"upload": adapter.send_bundle(bundle, asked.sha256, Sending())})
    adapter.send_picture(asked.listing.icon or "", PICTURE)
    with refuses("storefront.by-hand", "has had no bundle here yet"):
        adapter.submit(sent, "key-00000001")
    with quay.http() as http:
        page = http.get(f"/studio/hand-in/{trial.identifier}")
        mark = page.text.partition('name="mark" value="')[2].partition('"')[0]
        files = {"bundle": whole(bundle), "sheet": b"{}"}
        answer = http.post(f"/studio/hand-in/{trial.identifier}", data={"mark": mark}, files=files)
        assert "the sheet says no good" in answer.text
        files = {"bundle": b"another", "sheet": asked.model_dump_json().encode()}
        assert "the sheet is of another bundle" in http.post(page.url.path, data={"mark": mark}, files=files).text
        guessed = http.post(page.url.path, data={"mark": "guessed"}, files=files)
        assert guessed.json()["code"] == "storefront.form"
        files = {"bundle": whole(bundle), "sheet": asked.model_dump_json().encode()}
        assert http.post(page.url.path, data={"mark": mark}, files=files).status_code == 303
        assert "was handed in" in http.get(page.url.path).text
    assert not adapter.title(trial.identifier).first_pending
    (there,) = adapter.submissions(trial.identifier)
    assert (there.version_code, there.sha256) == (1, asked.sha256)
    assert submitted(trial).version_code == 2
