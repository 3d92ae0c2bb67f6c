"""Players' pages: search, a title's page, and its bundle. Everybody may look; only what is on show is there."""

from __future__ import annotations

import hashlib
from pathlib import Path

from flask import Blueprint, Response, render_template, request, send_file
from sqlalchemy import select

from rampa.core.errors import NotFound
from rampa.core.submission.life import ON_SHOW
from rampa.schema.storefronts import OfferAt
from rampa.standin.player import PlayerDevice, PlayerTitle
from rampa.standin.storefront.device_pages import own_device
from rampa.standin.storefront.moves import shown
from rampa.standin.storefront.player_devices import PlayerDevices
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import StoreSubmissionRow, StoreTitleRow
from rampa.standin.storefront.titles import get_picture

SHOWN = 60
STEPS = 100


def blueprint(shop: Shop, devices: PlayerDevices) -> Blueprint:
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
        device = own_device(shop, devices)
        return render_template(
            "title.html",
            shop=shop,
            row=there[0],
            there=there,
            listing=listing,
            texts=texts,
            spoken=spoken,
            platforms=devices.platforms,
            device=device,
            mine=_on_it(device, identifier) if device else None,
        )

    @pages.get("/title/<string:identifier>/<string:platform>/offer")
    def offer(identifier: str, platform: str) -> Response:
        """What a device by its number is offered (OfferAt): who gets a share is drawn from that, the same each time."""
        row = _offered(shop, identifier, platform)
        said = OfferAt(
            identifier=identifier,
            platform=platform,
            version_name=row.asked["version_name"],
            version_code=row.version_code,
            sha256=row.asked["sha256"],
            size=_bundle(shop, row).stat().st_size,
        )
        return Response(said.model_dump_json(), content_type="application/json")

    @pages.get("/title/<string:identifier>/<string:platform>/bundle")
    def bundle(identifier: str, platform: str) -> Response:
        row = _offered(shop, identifier, platform)
        answer = send_file(
            _bundle(shop, row), mimetype="application/octet-stream", conditional=True, etag=row.asked["sha256"]
        )
        answer.headers["Rampa-Version-Code"] = str(row.version_code)
        return answer

    @pages.get("/pictures/<string:digest>")
    def picture(digest: str) -> Response:
        data, media = get_picture(shop, digest)
        return Response(data, content_type=media, headers={"Cache-Control": "public, max-age=86400, immutable"})

    return pages


def _on_it(device: PlayerDevice, identifier: str) -> PlayerTitle:
    now = device.title(identifier)
    return now if now.busy else device.look(identifier)


def _offered(shop: Shop, identifier: str, platform: str) -> StoreSubmissionRow:
    device = request.args.get("device", "")[:100]
    with shop.begin() as session:
        offered = [r for r in shown(session, identifier, platform) if _gets(r, device)]
    if not offered:
        raise NotFound("storefront.offer", "nothing is on show for this platform yet")
    return offered[0]


def _bundle(shop: Shop, row: StoreSubmissionRow) -> Path:
    at: Path = shop.folder / "bundles" / row.asked["sha256"]
    return at


def _gets(row: StoreSubmissionRow, device: str) -> bool:
    """Held: who has it keeps it, and nobody new gets it; this storefront's devices ask only for what is new."""
    if row.share >= 100:
        return True
    drawn = hashlib.sha256(f"{row.id}/{device}".encode()).digest()
    return not row.held and int.from_bytes(drawn[:4]) % STEPS < row.share
