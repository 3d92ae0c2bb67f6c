"""Simulated devices that one can look at."""

from __future__ import annotations

from flask import Response

from rampa.operations.base import Act, Services
from rampa.operations.devices import screens
from rampa.schema import screens as wire
from rampa.schema.channels import ChannelPath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

SCREEN = "/testing/screens/<string:device>"


def resource(services: Services) -> Resource:
    api = Resource("screens")

    @api.call("GET", "/testing/screens", Act.TEST, wire.Screens)
    def list_screens() -> wire.Screens:
        """Your own simulated devices, and what each shows."""
        return screens.list_screens(services, current_actor())

    @api.call(
        "POST", "/testing/titles/<string:title>/channels/<string:channel>/screens", Act.TEST, wire.Screen, status=201
    )
    def add_screen(path: ChannelPath, body: wire.NewScreen) -> wire.Screen:
        """Add a simulated device that follows the channel."""
        return screens.add_screen(services, current_actor(), path.title, path.channel, body)

    @api.call("GET", SCREEN, Act.TEST, wire.Screen)
    def get_screen(path: wire.ScreenPath) -> wire.Screen:
        """What a simulated device shows, and what can be done there now."""
        return screens.get_screen(services, current_actor(), path.device)

    @api.call("GET", SCREEN + "/picture", Act.TEST, "image/jpeg")
    def get_screen_picture(path: wire.ScreenPath) -> Response:
        """What its title's program drew last."""
        response = Response(screens.picture_of(services, current_actor(), path.device), content_type="image/jpeg")
        response.headers["Cache-Control"] = "private, no-store"
        return response

    @api.call("POST", SCREEN + "/acts", Act.TEST, wire.Screen)
    def act_on_screen(path: wire.ScreenPath, body: wire.ScreenActIn) -> wire.Screen:
        """Look for a build, install it, stop, start the title, close it, restart."""
        return screens.act(services, current_actor(), path.device, body)

    @api.call("PUT", SCREEN + "/settings", Act.TEST, wire.Screen)
    def set_screen(path: wire.ScreenPath, body: wire.ScreenSet) -> wire.Screen:
        """When it installs, and what network, room and clock it has."""
        return screens.change_settings(services, current_actor(), path.device, body)

    return api
