"""Pages of a player's simulated device: getting one, what is on it, installing, updating, removing. A cookie names it."""

from __future__ import annotations

from urllib.parse import urlsplit

from flask import Blueprint, Response, redirect, render_template, request

from rampa.core.errors import Denied, NotFound, RampaError
from rampa.standin.player import PlayerDevice
from rampa.standin.storefront.moves import shown
from rampa.standin.storefront.player_devices import PlayerDevices
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import StoreTitleRow

KEPT = 30 * 86_400
"""Seconds for which a browser keeps its device."""


def blueprint(shop: Shop, devices: PlayerDevices) -> Blueprint:
    pages = Blueprint("device", __name__, url_prefix="/device")
    name = cookie(shop)

    @pages.before_request
    def only_from_here() -> None:
        """A browser says where a form comes from; another page's does nothing here."""
        origin = request.headers.get("Origin", "")
        if request.method == "POST" and origin and urlsplit(origin).netloc != request.host:
            raise Denied(
                "player.origin", "this form is not from this page", hint="Begin again on the storefront's page."
            )

    @pages.get("")
    def device() -> str:
        return _page(shop, devices)

    @pages.post("")
    def make() -> Response | str:
        try:
            made = devices.make(request.form.get("platform", ""))
        except RampaError as error:
            return _page(shop, devices, error.sentence())
        answer = redirect(_back(), 303)
        answer.set_cookie(name, made.number, max_age=KEPT, httponly=True, samesite="Lax")
        return answer  # type: ignore[return-value]

    @pages.post("/<string:act>")
    def act(act: str) -> Response | str:
        try:
            act_on(devices, devices.find(request.cookies.get(name, "")), act, request.form.get("title", ""))
        except RampaError as error:
            return _page(shop, devices, error.sentence())
        return redirect(_back(), 303)  # type: ignore[return-value]

    return pages


def cookie(shop: Shop) -> str:
    # Cookies know hosts, and not ports: each storefront's has a name of its own.
    return f"{shop.character.name}_device"


def own_device(shop: Shop, devices: PlayerDevices) -> PlayerDevice | None:
    try:
        return devices.find(request.cookies.get(cookie(shop), ""))
    except NotFound:
        return None


def act_on(devices: PlayerDevices, device: PlayerDevice, act: str, identifier: str) -> None:
    """Raises `NotFound` for a title that the storefront does not show, and what the acts themselves raise."""
    if act == "give-back":
        devices.give_back(device)
    elif act == "install":
        device.look(identifier)
        devices.install(device, identifier)
    elif act == "stop":
        device.stop(identifier)
    elif act == "remove":
        device.remove(identifier)
    else:
        raise NotFound("player.act", "a device does no such thing")


def _page(shop: Shop, devices: PlayerDevices, wrong: str = "") -> str:
    device = own_device(shop, devices)
    there = []
    for title in device.titles() if device else []:
        try:
            there.append(title if title.busy else device.look(title.identifier))  # type: ignore[union-attr]
        except RampaError as error:
            wrong = wrong or error.sentence()
            there.append(title)
    with shop.begin() as session:
        rows = {t.identifier: session.get(StoreTitleRow, t.identifier) for t in there}
        on_show = {t.identifier for t in there if shown(session, t.identifier, device.platform if device else "")}
    return render_template(
        "device.html",
        shop=shop,
        device=device,
        titles=there,
        names={i: row.name if row else i for i, row in rows.items()},
        on_show=on_show,
        platforms=devices.platforms,
        wrong=wrong,
    )


def _back() -> str:
    """To the page that the form was on: of this storefront, and no other."""
    at = urlsplit(request.form.get("back", ""))
    inside = at.path.startswith(("/device", "/title/")) and not at.netloc and not at.scheme
    return at.path if inside else "/device"
