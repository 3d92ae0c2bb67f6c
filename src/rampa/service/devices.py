"""Devices: registered machines that install."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.devices import behind, devices, registration, sessions
from rampa.schema import devices as wire
from rampa.schema.common import Page
from rampa.schema.signing import grants as grants_wire
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.address import client_address
from rampa.service.base.resource import CreateHeaders, Resource, once_from

DEVICE = "/titles/<string:title>/devices/<string:device>"


def resource(services: Services) -> Resource:
    api = Resource("devices")

    @api.call("GET", "/titles/<string:title>/devices", Act.READ, Page[wire.Device])
    def list_devices(path: TitlePath) -> Page[wire.Device]:
        """The devices that are registered for a title."""
        return Page[wire.Device](items=devices.list_devices(services, path.title))

    @api.call("POST", "/titles/<string:title>/devices", Act.USE_DEVICE, wire.Device, status=201)
    def register_device(path: TitlePath, body: wire.NewDevice, header: CreateHeaders) -> wire.Device:
        """Write down a device that has no key of its own, so that grants can list it."""
        return devices.register(services, current_actor(), path.title, body, once_from(header))

    @api.call("PUT", DEVICE + "/report", Act.REPORT_DEVICE, wire.Device)
    def report_device(path: wire.DevicePath, body: wire.DeviceReport) -> wire.Device:
        """What a device installed."""
        return devices.report(services, current_actor(), path.title, path.device, body)

    @api.call("DELETE", DEVICE, Act.USE_DEVICE, None)
    def remove_device(path: wire.DevicePath) -> None:
        """Take a device out: it is forgotten, and its access ends at once."""
        devices.remove(services, current_actor(), path.title, path.device)

    @api.call("POST", DEVICE + "/re-sign", Act.MAKE_GRANT, grants_wire.ReSignedFor)
    def re_sign_for_device(path: wire.DevicePath) -> grants_wire.ReSignedFor:
        """Sign every live build of its channel that it cannot run again, with a grant that lists it."""
        return behind.re_sign_for(services, current_actor(), path.title, path.device)

    _by_itself(api, services)
    return api


def _by_itself(api: Resource, services: Services) -> None:
    """What a device calls by itself, before it has a token."""

    @api.call("POST", "/devices", Act.OPEN, wire.Registered, status=201)
    def register_by_code(body: wire.RegisterDevice) -> wire.Registered:
        """Register the device that asks, with a code that its person made and a key that it made."""
        return registration.register(services, body, client_address())

    @api.call("POST", "/devices/<string:device_id>/challenge", Act.OPEN, wire.DeviceChallenge)
    def ask_device(path: wire.DeviceIdPath) -> wire.DeviceChallenge:
        """What a device must sign to open a session."""
        return sessions.ask(services, path.device_id)

    @api.call("POST", "/devices/<string:device_id>/session", Act.OPEN, wire.DeviceSession, status=201)
    def open_device_session(path: wire.DeviceIdPath, body: wire.DeviceSessionIn) -> wire.DeviceSession:
        """A token of a quarter of an hour, for a proof by the device's key."""
        return sessions.open_session(services, path.device_id, body)
