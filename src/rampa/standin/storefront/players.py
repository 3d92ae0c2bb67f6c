"""Players' pages: search, a title's page, and its bundle. Everybody may look; only what is on show is there."""

from __future__ import annotations

import hashlib

from flask import Blueprint, Response, render_template, request, send_file
from sqlalchemy import select

from rampa.core.errors import NotFound
from rampa.core.submission.life import ON_SHOW
from rampa.standin.storefront.moves import shown
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import StoreSubmissionRow, StoreTitleRow
from rampa.standin.storefront.titles import get_picture

SHOWN = 60
STEPS = 100


def blueprint(shop: Shop) -> Blueprint:
    pages = Blueprint("players", __name__)

    @pages.get("/")
    def index() -> str:
        asked = request.args.get("search", "").strip()[:100]
        with shop.begin() as session:
            live = select(StoreSubmissionRow.identifier).where(StoreSubmissionRow.state.in_([s.value for s in ON_SHOW]))
            rows = select(StoreTitleRow).where(StoreTitleRow.identifier.in_(live)).order_by(StoreTitleRow.name)
            if asked:
                rows = rows.where(StoreTitleRow.name.icontains(asked, autoescape=True))
            found = [(t, shown(session, t.identifier)[0]) for t in session.scalars(rows.limit(SHOWN))]
        return render_template("players.html", shop=shop, found=found, asked=asked)

    @pages.get("/title/<string:identifier>")
    def title(identifier: str) -> str:
        language = request.args.get("language") or request.accept_languages.best or ""
        with shop.begin() as session:
            there = shown(session, identifier)
            if not there:
                raise NotFound("storefront.title", "there is no such title here")
            listing = there[0].asked["listing"]
            spoken = next(
                (lang for lang in (language, language.partition("-")[0]) if lang in listing["texts"]), listing["main"]
            )
            texts = listing["texts"][spoken]
        return render_template(
            "title.html", shop=shop, row=there[0], there=there, listing=listing, texts=texts, spoken=spoken
        )

    @pages.get("/title/<string:identifier>/<string:platform>/bundle")
    def bundle(identifier: str, platform: str) -> Response:
        """For a device by its number: who gets a share is drawn from that, the same each time."""
        device = request.args.get("device", "")[:100]
        with shop.begin() as session:
            offered = [r for r in shown(session, identifier, platform) if _gets(r, device)]
            if not offered:
                raise NotFound("storefront.offer", "nothing is on show for this platform yet")
            digest, code = offered[0].asked["sha256"], offered[0].version_code
        answer = send_file(
            shop.folder / "bundles" / digest, mimetype="application/octet-stream", conditional=True, etag=digest
        )
        answer.headers["Rampa-Version-Code"] = str(code)
        return answer

    @pages.get("/pictures/<string:digest>")
    def picture(digest: str) -> Response:
        data, media = get_picture(shop, digest)
        return Response(data, content_type=media, headers={"Cache-Control": "public, max-age=86400, immutable"})

    return pages


def _gets(row: StoreSubmissionRow, device: str) -> bool:
    """Held: who has it keeps it, and nobody new gets it; this storefront's devices ask only for what is new."""
    if row.share >= 100:
        return True
    drawn = hashlib.sha256(f"{row.id}/{device}".encode()).digest()
    return not row.held and int.from_bytes(drawn[:4]) % STEPS < row.share
