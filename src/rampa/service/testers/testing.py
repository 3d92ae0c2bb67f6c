"""A tester's own: what can be installed, a build's page, its file, devices."""

from __future__ import annotations

from flask import Response, request

from rampa.operations.base import Act, Services
from rampa.operations.devices import devices, registration
from rampa.operations.testers import downloads, testing
from rampa.schema import testers as wire
from rampa.schema.channels import ChannelPath
from rampa.service.base.access import current_actor
from rampa.service.base.ranges import BYTES, ranged
from rampa.service.base.resource import PREFIX, Resource

CHANNEL = "/testing/titles/<string:title>/channels/<string:channel>"
BUILD = CHANNEL + "/builds/<int:build>"


def resource(services: Services) -> Resource:
    api = Resource("testing")

    def at() -> str:
        """Where the console is: as the operator says, else as the one who asks came here."""
        return services.origin or request.host_url.rstrip("/")

    @api.call("GET", "/testing", Act.TEST, wire.Testing)
    def get_testing() -> wire.Testing:
        """What you may install, and what you are asked to look at."""
        return testing.home(services, current_actor())

    @api.call("GET", BUILD, Act.TEST, wire.InstallPage)
    def get_install_page(path: wire.TestBuildPath) -> wire.InstallPage:
        """One build: its package, and how you get it."""
        return testing.install_page(services, current_actor(), path.title, path.channel, path.build, at())

    @api.call("POST", BUILD + "/address", Act.TEST, wire.DownloadAddress)
    def make_download_address(path: wire.TestBuildPath) -> wire.DownloadAddress:
        """An address of the build's file that is good for a minute."""
        where = at() + PREFIX
        return downloads.make_address(services, current_actor(), path.title, path.channel, path.build, where)

    @api.call("POST", CHANNEL + "/registration", Act.TEST, wire.RegistrationCode, status=201)
    def make_registration_code(path: ChannelPath) -> wire.RegistrationCode:
        """A code that registers one device of yours, once, within a quarter of an hour; also as a link and a QR code."""
        return registration.make_code(services, current_actor(), path.title, path.channel, at())

    @api.call("GET", "/testing/devices", Act.TEST, wire.TestDevices)
    def list_own_devices() -> wire.TestDevices:
        """Your own devices."""
        return devices.list_own(services, current_actor())

    @api.call("DELETE", "/testing/devices/<string:device>", Act.TEST, wire.TestDevices)
    def remove_own_device(path: wire.TestDevicePath) -> wire.TestDevices:
        """Take out a device of yours; its access ends at once."""
        return devices.remove_own(services, current_actor(), path.device)

    @api.call("GET", "/downloads/<string:ticket>/<string:file>", Act.OPEN, BYTES)
    def download(path: wire.DownloadPath) -> Response:
        """A build's file, by an address that was made for it; ranges welcome."""
        return _file(downloads.open_download(services, path.ticket))

    return api


def _file(found: downloads.Download) -> Response:
    headers = {
        "Accept-Ranges": "bytes",
        "ETag": f'"{found.sha256.hex()}"',
        "Content-Disposition": f'attachment; filename="{found.name}"',
        # An address of a minute for one person: nothing on the way keeps what it gave.
        "Cache-Control": "private, no-store",
    }
    return ranged(found.size, found.part, headers)
