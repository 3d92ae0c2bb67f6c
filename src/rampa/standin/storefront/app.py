"""One simulated storefront as a Flask application: its protocol, its players' pages, its operator's."""

from __future__ import annotations

import secrets
import threading

from flask import Response
from flask_openapi.openapi import OpenAPI

from rampa.core.errors import RampaError
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.schema import storefronts as wire
from rampa.standin.storefront import (
    api,
    desk,
    device_pages,
    faults,
    hand_in,
    machines,
    notices,
    oauth,
    operator,
    players,
    trouble,
    uploads,
)
from rampa.standin.storefront.player_devices import PlayerDevices
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront_asked import Connect

POLICY = "default-src 'self'; style-src 'self' 'unsafe-inline'; frame-ancestors 'none'; form-action 'self' http: https:"


def make_storefront(shop: Shop, connect: Connect) -> OpenAPI:
    """`connect`: how players' devices reach this storefront."""
    title = STOREFRONTS[shop.character.name].title
    app = OpenAPI(
        __name__,
        info={"title": f"{title}, simulated", "version": str(wire.VERSION)},
        validation_error_callback=faults.invalid,
        doc_ui=False,
        doc_prefix="/storefront",
    )
    app.secret_key = secrets.token_bytes(32)
    # Cookies know hosts, and not ports: on one machine each storefront's has a name of its own.
    app.config.update(
        SESSION_COOKIE_NAME=f"{shop.character.name}_pages",
        SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_HTTPONLY=True,
        MAX_CONTENT_LENGTH=None,
    )
    app.jinja_env.globals["title_of"] = title
    faults.install(app)
    app.before_request(lambda: trouble.meet(shop))
    app.register_api(api.blueprint(shop))
    for part in (oauth, uploads, operator, desk, hand_in):
        app.register_blueprint(part.blueprint(shop))
    devices = PlayerDevices(shop, connect)
    app.extensions["players"] = devices
    for pages in (players, device_pages):
        app.register_blueprint(pages.blueprint(shop, devices))

    @app.after_request
    def guarded(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", POLICY)
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        return response

    return app


class Clockwork:
    """What the storefront does by itself, in a thread of its own: moving, telling."""

    def __init__(self, shop: Shop, pause: float = 0.5) -> None:
        self._shop, self._pause, self._over = shop, pause, threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        self._thread.start()

    def end(self) -> None:
        self._over.set()
        self._thread.join()

    def _run(self) -> None:
        while not self._over.wait(self._pause):
            try:
                machines.tick(self._shop)
                notices.send_due(self._shop)
            except RampaError:
                continue  # the database is away: what is due stays due
