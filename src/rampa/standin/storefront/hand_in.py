"""Where a person hands in a title's first bundle, on storefronts that want one to."""

from __future__ import annotations

import hashlib
import json
import secrets

from flask import Blueprint, Response, redirect, render_template, request
from flask import session as browser
from pydantic import ValidationError

from rampa.core.errors import Denied, Invalid, RampaError
from rampa.schema.storefronts import SubmissionIn
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.submissions import take
from rampa.standin.storefront.tables import StorePictureRow, UploadRow
from rampa.standin.storefront.titles import find_title
from rampa.standin.storefront.verification import must_be_verified

PIECE = 1 << 20


def blueprint(shop: Shop) -> Blueprint:
    pages = Blueprint("hand_in", __name__, url_prefix="/studio/hand-in/<string:identifier>")

    @pages.get("")
    def form(identifier: str) -> str:
        with shop.begin() as session:
            title = find_title(session, identifier)
        browser["hand-in"] = secrets.token_urlsafe(16)
        return render_template("hand_in.html", shop=shop, title=title, mark=browser["hand-in"], wrong="")

    @pages.post("")
    def hand_in(identifier: str) -> Response | str:
        if not browser.get("hand-in") or browser["hand-in"] != request.form.get("mark", ""):
            raise Denied("storefront.form", "this form is not from this page", hint="Begin again.")
        try:
            _take(shop, identifier)
        except RampaError as error:
            with shop.begin() as session:
                title = find_title(session, identifier)
            return render_template(
                "hand_in.html", shop=shop, title=title, mark=browser["hand-in"], wrong=error.sentence()
            )
        return redirect(f"/studio/hand-in/{identifier}", 303)  # type: ignore[return-value]

    return pages


def _take(shop: Shop, identifier: str) -> None:
    """The bundle, the sheet that Rampa wrote for it, and the listing's pictures."""
    bundle, sheet = request.files.get("bundle"), request.files.get("sheet")
    if bundle is None or sheet is None:
        raise Invalid("storefront.hand-in", "choose the bundle and its sheet", where="bundle")
    try:
        said = json.loads(sheet.stream.read(1_000_000))
    except ValueError as error:
        raise Invalid("storefront.sheet", "the sheet cannot be read", where="sheet") from error
    with shop.begin() as session:
        title = find_title(session, identifier, lock=True)
        upload = UploadRow(length=0, received=0, sha256="", until=shop.now(), lost=False)
        session.add(upload)
        session.flush()
        digest, size = hashlib.sha256(), 0
        with shop.upload_file(upload.id).open("wb") as out:
            while piece := bundle.stream.read(PIECE):
                digest.update(piece)
                size += out.write(piece)
        upload.length = upload.received = size
        upload.sha256 = digest.hexdigest()
        try:
            asked = SubmissionIn.model_validate({**said, "upload": upload.id, "identifier": identifier})
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(str(p) for p in first["loc"])
            raise Invalid("storefront.sheet", f"the sheet says no good {place}", where="sheet") from error
        if asked.sha256 != upload.sha256:
            raise Invalid("storefront.bundle", "the sheet is of another bundle", where="bundle")
        _pictures(session)
        must_be_verified(shop, session)
        title.first_pending = False
        take(shop, session, asked, f"by hand {upload.id}")


def _pictures(session: object) -> None:
    for sent in request.files.getlist("pictures"):
        data = sent.stream.read(8 << 20)
        digest = hashlib.sha256(data).hexdigest()
        if data and session.get(StorePictureRow, digest) is None:  # type: ignore[attr-defined]
            media = "image/png" if data.startswith(b"\x89PNG") else "image/jpeg"
            session.add(StorePictureRow(digest=digest, media=media, data=data))  # type: ignore[attr-defined]
