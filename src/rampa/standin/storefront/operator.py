"""The operator's pages, behind a secret in the address: what there is, and trouble to make."""

from __future__ import annotations

import datetime as dt
import hmac
from typing import Any

from flask import Blueprint, Response, abort, redirect, render_template, request
from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from rampa.core.errors import Invalid, RampaError
from rampa.core.studio.verification import VerificationEvent
from rampa.core.submission.life import WORDS, SubmissionState
from rampa.standin.storefront import verification
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.submissions import describe
from rampa.standin.storefront.tables import StoreEventRow, StoreSubmissionRow, StoreTokenRow, UploadRow
from rampa.standin.storefront.trouble import Trouble, troubles

SHOWN = 100


def blueprint(shop: Shop) -> Blueprint:
    """Below `/operator/SECRET`: no cookie, so that no other site's form can use one."""
    pages = Blueprint("operator", __name__, url_prefix="/operator/<string:secret>")

    @pages.before_request
    def ours() -> None:
        said = (request.view_args or {}).get("secret", "")
        if not shop.operator or not hmac.compare_digest(said.encode(), shop.operator.encode()):
            abort(404)

    @pages.get("")
    def index(secret: str) -> str:
        return _page(shop, secret)

    @pages.post("/trouble")
    def make_trouble(secret: str) -> Response | str:
        return _done(shop, secret, lambda: trouble(shop, request.form.get("what", ""), request.form.get("value", "")))

    @pages.post("/studio")
    def decide(secret: str) -> Response | str:
        event = VerificationEvent(request.form["event"]) if request.form.get("event") in VERDICTS else None
        said = request.form.get("text", "")[:2000]
        return _done(shop, secret, lambda: verification.decide(shop, _known(event), "the operator", said))

    @pages.get("/documents/<string:digest>")
    def document(secret: str, digest: str) -> Response:
        """Never shown in the page: it is saved."""
        data, media = verification.get_document(shop, digest)
        answer = Response(data, content_type=media)
        answer.headers["Content-Disposition"] = "attachment"
        return answer

    return pages


VERDICTS = ("ask", "refuse", "verify", "end")


def _known(event: VerificationEvent | None) -> VerificationEvent:
    if event is None:
        raise Invalid("operator.event", "say what you mean by it", where="event")
    return event


def trouble(shop: Shop, what: str, value: str) -> None:
    """`value` as the page's field says: seconds, answers, bytes or minutes. Empty or 0 ends it."""
    if what in AT_ONCE:
        AT_ONCE[what](shop, value)
        return
    if what not in ("rules", *Trouble):
        raise Invalid("operator.trouble", f"there is no trouble named {what[:40]!r}")
    number = int(value) if value.isdigit() else 0
    said: dict[str, dict[str, Any]] = {
        "rules": {"number": 2, "reason_length": number},
        Trouble.SLOW: {"seconds": number},
        Trouble.FAILING: {"left": number},
        Trouble.CUT: {"bytes": number},
        Trouble.MAINTENANCE: {"until": (shop.now() + dt.timedelta(minutes=number)).isoformat()},
    }
    with shop.begin() as session:
        shop.set(session, what, said[what] if number else None)


def _revoke(shop: Shop, value: str) -> None:
    with shop.begin() as session:
        session.execute(update(StoreTokenRow).values(revoked=True))


def _lose(shop: Shop, value: str) -> None:
    """The newest upload that no submission has taken apart yet."""
    with shop.begin() as session:
        row = session.scalar(
            select(UploadRow).where(UploadRow.lost.is_(False)).order_by(UploadRow.until.desc()).limit(1)
        )
        if row is not None:
            row.lost = True
            shop.upload_file(row.id).unlink(missing_ok=True)


def _forget(shop: Shop, value: str) -> None:
    """As if the database came back from a backup: what was made in the last minutes was never there, what moved stands where it
    stood."""
    minutes = int(value) if value.isdigit() else 0
    since = shop.now() - dt.timedelta(minutes=minutes)
    with shop.begin() as session:
        session.execute(delete(StoreSubmissionRow).where(StoreSubmissionRow.made_at >= since))
        for row in session.scalars(select(StoreSubmissionRow)):
            _set_back(session, row, since)


def _set_back(session: Session, row: StoreSubmissionRow, since: dt.datetime) -> None:
    events = session.scalars(
        select(StoreEventRow).where(StoreEventRow.submission == row.id).order_by(StoreEventRow.number)
    ).all()
    kept = [event for event in events if event.at < since]
    if len(kept) < len(events) and kept:
        row.state, row.moved_at, row.claimed_by, row.claim_until = kept[-1].state, kept[-1].at, "", None
        for event in events[len(kept) :]:
            session.delete(event)


AT_ONCE = {"revoke": _revoke, "lose": _lose, "forget": _forget}


def _done(shop: Shop, secret: str, act: object) -> Response | str:
    try:
        act()  # type: ignore[operator]
    except RampaError as error:
        return _page(shop, secret, error.sentence())
    return redirect(f"/operator/{secret}", 303)  # type: ignore[return-value]


def _page(shop: Shop, secret: str, wrong: str = "") -> str:
    with shop.begin() as session:
        rows = select(StoreSubmissionRow).order_by(StoreSubmissionRow.number.desc()).limit(SHOWN)
        items = [(describe(shop, session, row), row) for row in session.scalars(rows)]
        studio = verification.handed_in(shop, session)
    return render_template(
        "operator.html", shop=shop, secret=secret, items=items, words=WORDS, troubles=troubles(shop), wrong=wrong,
        states=SubmissionState, studio=studio, verdicts=VERDICTS,
    )  # fmt: skip
