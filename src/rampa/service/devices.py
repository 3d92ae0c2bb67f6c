"""Devices: registered machines that install."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.devices import devices
from rampa.schema import devices as wire
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
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
        """Register a device that follows a channel."""
        return devices.register(services, current_actor(), path.title, body, once_from(header))

    @api.call("PUT", DEVICE + "/report", Act.USE_DEVICE, wire.Device)
    def report_device(path: wire.DevicePath, body: wire.DeviceReport) -> wire.Device:
        """What a device installed."""
        return devices.report(services, current_actor(), path.title, path.device, body)

    @api.call("DELETE", DEVICE, Act.USE_DEVICE, None)
    def remove_device(path: wire.DevicePath) -> None:
        """Forget a device."""
        devices.remove(services, current_actor(), path.title, path.device)

    return api
