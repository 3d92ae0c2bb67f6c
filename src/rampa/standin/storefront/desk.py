"""The storefront's reviewers: their queue, everything about a submission on one page, claims, notes, verdicts, times.

By the same rules as a studio's own desk (core/submission/desk.py), with the storefront's own list of reasons.
"""

from __future__ import annotations

import datetime as dt
import hmac
import zipfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from flask import Blueprint, Response, abort, redirect, render_template, request
from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.bundle.frameworks import Framework, frameworks_in
from rampa.core.errors import Invalid, RampaError
from rampa.core.submission import desk
from rampa.core.submission.expected import VERDICTS
from rampa.core.submission.life import ON_SHOW, WORDS, SubmissionEvent, SubmissionState
from rampa.standin.storefront import moves
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.submissions import describe
from rampa.standin.storefront.tables import StoreEventRow, StoreNoteRow, StoreSubmissionRow

WAITS = (SubmissionState.WAITING, SubmissionState.REVIEWING, SubmissionState.QUESTION)
PASSED = (SubmissionState.PASSED, *ON_SHOW, SubmissionState.REPLACED)
LARGEST = 12
EVENTS = {
    "claim": SubmissionEvent.CLAIM,
    "lapse": SubmissionEvent.LAPSE,
    "ask": SubmissionEvent.ASK,
    "refuse": SubmissionEvent.REFUSE,
    "pass": SubmissionEvent.PASS,
}


def blueprint(shop: Shop) -> Blueprint:
    """Below `/reviewers/SECRET`, as the operator's pages."""
    pages = Blueprint("desk", __name__, url_prefix="/reviewers/<string:secret>")

    @pages.before_request
    def ours() -> None:
        said = (request.view_args or {}).get("secret", "")
        if not shop.operator or not hmac.compare_digest(said.encode(), shop.operator.encode()):
            abort(404)

    @pages.get("")
    def queue(secret: str) -> str:
        with shop.begin() as session:
            return render_template(
                "desk.html", shop=shop, secret=secret, words=WORDS, now=shop.now(), **_queue(shop, session)
            )

    @pages.get("/<string:submission>")
    def one(secret: str, submission: str) -> str:
        return _page(shop, secret, submission)

    @pages.post("/<string:submission>")
    def act(secret: str, submission: str) -> Response | str:
        form = request.form
        by = " ".join(form.get("by", "").split())[:100] or "a reviewer"
        said = (form.get("act", ""), by, form.get("text", ""), form.get("about", ""), form.get("reason", ""))
        try:
            decide(shop, submission, *said)
        except RampaError as error:
            return _page(shop, secret, submission, error.sentence())
        return redirect(f"/reviewers/{secret}/{submission}", 303)  # type: ignore[return-value]

    return pages


def decide(shop: Shop, submission: str, act: str, by: str, text: str, about: str, reason: str) -> None:
    """A reviewer's act. Raises `Conflict` where another has it, or its state does not take it; `Invalid` without words."""
    if act not in (*EVENTS, "note"):
        raise Invalid("review.act", f"a reviewer cannot {act[:40]!r}")
    if act == "note" and not text.strip():
        raise Invalid("review.words", "say it in words", where="text")
    desk.must_say(act, text, reason, shop.character.reasons)
    with shop.begin() as session:
        row = moves.find(session, submission)
        if act == "note":
            session.add(StoreNoteRow(submission=row.id, at=shop.now(), by=by, text=text.strip()))
            _keep_claim(shop, row, by)
            return
        desk.must_be_free("this submission", _queued(shop, row), by, shop.now())
        moves.move(shop, session, row, EVENTS[act], by, text, about[:200], reason if act == "refuse" else "")
        if act == "claim":
            row.claimed_by = by
            row.claim_until = shop.now() + dt.timedelta(seconds=shop.character.waits.claim)


def _keep_claim(shop: Shop, row: StoreSubmissionRow, by: str) -> None:
    if row.claimed_by == by and row.claim_until is not None:
        row.claim_until = shop.now() + dt.timedelta(seconds=shop.character.waits.claim)


def _queued(shop: Shop, row: StoreSubmissionRow) -> desk.Queued:
    promised = row.moved_at + dt.timedelta(seconds=shop.character.waits.promise)
    return desk.Queued(row.moved_at, promised, row.claimed_by, row.claim_until)


def _queue(shop: Shop, session: Session) -> dict[str, Any]:
    rows = select(StoreSubmissionRow).where(StoreSubmissionRow.state.in_([s.value for s in WAITS]))
    waiting = {row.id: row for row in session.scalars(rows)}
    order = desk.in_order({ident: _queued(shop, row) for ident, row in waiting.items()})
    return {
        "queue": [(waiting[i], _queued(shop, waiting[i])) for i in order],
        "weeks": desk.by_week(_verdicts(shop, session)),
    }


def _verdicts(shop: Shop, session: Session) -> list[tuple[dt.datetime, dt.datetime, dt.datetime]]:
    """When each came into line, and its first verdict."""
    promise = dt.timedelta(seconds=shop.character.waits.promise)
    came: dict[str, dt.datetime] = {}
    said: dict[str, dt.datetime] = {}
    for event in session.scalars(select(StoreEventRow).order_by(StoreEventRow.number)):
        state = SubmissionState(event.state)
        if state is SubmissionState.WAITING:
            came.setdefault(event.submission, event.at)
        elif state in VERDICTS and event.submission in came:
            said.setdefault(event.submission, event.at)
    return [(came[i], came[i] + promise, at) for i, at in said.items()]


@dataclass(frozen=True)
class Inside:
    """What the bundle holds: `names` with their sizes in bytes, unpacked. Empty for what this storefront does not open."""

    size: int
    names: dict[str, int]
    frameworks: list[Framework]

    @property
    def largest(self) -> list[tuple[str, int]]:
        return sorted(self.names.items(), key=lambda item: -item[1])[:LARGEST]


def _inside(shop: Shop, row: StoreSubmissionRow) -> Inside:
    bundle = Path(shop.folder / "bundles" / row.asked["sha256"])
    try:
        with zipfile.ZipFile(bundle) as archive:
            names = {i.filename: i.file_size for i in archive.infolist() if not i.is_dir()}
    except (OSError, zipfile.BadZipFile, ValueError, NotImplementedError):
        names = {}
    size = bundle.stat().st_size if bundle.is_file() else 0
    return Inside(size, names, frameworks_in(names))


def _page(shop: Shop, secret: str, submission: str, wrong: str = "") -> str:
    with shop.begin() as session:
        row = moves.find(session, submission, lock=False)
        inside, last = _inside(shop, row), _last_passed(session, row)
        notes = select(StoreNoteRow).where(StoreNoteRow.submission == row.id).order_by(StoreNoteRow.number)
        return render_template(
            "review.html", shop=shop, secret=secret, row=row, seen=describe(shop, session, row), words=WORDS, wrong=wrong,
            inside=inside, since=_since(shop, row, inside, last) if last else None, last=last, now=shop.now(),
            notes=list(session.scalars(notes)), earlier=_earlier(shop, session, row), queued=_queued(shop, row),
            listing=row.asked["listing"], holder=desk.holder(_queued(shop, row), shop.now()),
        )  # fmt: skip


def _last_passed(session: Session, row: StoreSubmissionRow) -> StoreSubmissionRow | None:
    rows = select(StoreSubmissionRow).where(
        StoreSubmissionRow.identifier == row.identifier,
        StoreSubmissionRow.platform == row.platform,
        StoreSubmissionRow.number < row.number,
        StoreSubmissionRow.state.in_([s.value for s in PASSED]),
    )
    return session.scalar(rows.order_by(StoreSubmissionRow.number.desc()).limit(1))


def _since(shop: Shop, row: StoreSubmissionRow, inside: Inside, last: StoreSubmissionRow) -> dict[str, Any]:
    """Names below the bundle's own folder are compared: that folder has the version in it."""
    before = _inside(shop, last)
    old, new = ({n.partition("/")[2] or n: size for n, size in i.names.items()} for i in (before, inside))
    told, now = last.asked["permissions"], row.asked["permissions"]
    return {
        "added": sorted(new.keys() - old.keys()),
        "removed": sorted(old.keys() - new.keys()),
        "resized": sum(old[name] != new[name] for name in old.keys() & new.keys()),
        "bytes": inside.size - before.size,
        "permissions": sorted(now.keys() - told.keys()),
        "texts": [
            lang
            for lang, texts in row.asked["listing"]["texts"].items()
            if texts != last.asked["listing"]["texts"].get(lang)
        ],
    }


def _earlier(shop: Shop, session: Session, row: StoreSubmissionRow) -> list[Any]:
    rows = select(StoreSubmissionRow).where(
        StoreSubmissionRow.identifier == row.identifier, StoreSubmissionRow.number < row.number
    )
    newest = session.scalars(rows.order_by(StoreSubmissionRow.number.desc()).limit(8))
    return [describe(shop, session, other) for other in newest]
