"""A title's trust and its delivery: ceremonies, files by name, origins."""

from __future__ import annotations

from typing import cast

from flask import Response, redirect, request, send_file
from werkzeug.http import parse_range_header

from rampa.operations.base import Act, Services
from rampa.operations.delivery import files, origins
from rampa.operations.delivery.files import OpenedFile
from rampa.operations.trust import ceremony, standing
from rampa.schema import delivery as wire
from rampa.schema import trust as trust_wire
from rampa.schema.channels import ChannelPath
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.ranges import BYTES, ranged
from rampa.service.base.resource import PREFIX, Resource

TITLE = "/titles/<string:title>"
CHANNEL = TITLE + "/channels/<string:channel>"
ORIGIN = TITLE + "/delivery/origins/<string:origin>"
FOREVER = "public, max-age=31536000, immutable"


def resource(services: Services) -> Resource:
    api = Resource("delivery")
    _trust(api, services)
    _files(api, services)
    _origins(api, services)
    return api


def _trust(api: Resource, services: Services) -> None:
    @api.call("GET", TITLE + "/trust", Act.READ, trust_wire.Trust)
    def get_trust(path: TitlePath) -> trust_wire.Trust:
        """A title's root, and until when what the service signs holds."""
        return standing.get_trust(services, current_actor(), path.title)

    @api.call("POST", TITLE + "/trust/draft", Act.HOLD_CEREMONY, trust_wire.RootDraftOut)
    def draft_root(path: TitlePath, body: trust_wire.RootDraftIn) -> trust_wire.RootDraftOut:
        """An unsigned root for a ceremony; nothing changes by it."""
        return ceremony.draft(services, current_actor(), path.title, body)

    @api.call("POST", TITLE + "/trust/root", Act.HOLD_CEREMONY, trust_wire.Trust)
    def publish_root(path: TitlePath, body: trust_wire.PublishIn) -> trust_wire.Trust:
        """Publish a root that enough of its holders signed."""
        return ceremony.publish(services, current_actor(), path.title, body)

    @api.call("GET", CHANNEL + "/trust", Act.FETCH_BUILD, wire.TrustedStart)
    def get_trusted_start(path: ChannelPath) -> wire.TrustedStart:
        """The root from which a device of the channel follows, signed by the title's manifest key."""
        return standing.start_of(services, path.title, path.channel)


def _files(api: Resource, services: Services) -> None:
    @api.call("GET", TITLE + "/delivery/files", Act.READ, wire.DeliveryFiles)
    def list_delivery_files(path: TitlePath, query: wire.FilesQuery) -> wire.DeliveryFiles:
        """The files of the title's channels for everybody that changed since, for who writes them elsewhere."""
        return files.changed_since(services, path.title, query)

    @api.call("POST", CHANNEL + "/delivery-address", Act.FETCH_BUILD, wire.ClosedAddress)
    def make_delivery_address(path: ChannelPath) -> wire.ClosedAddress:
        """An address of minutes below which the files of a channel by invitation lie."""
        where = (services.origin or request.host_url.rstrip("/")) + PREFIX
        return files.closed_address(services, current_actor(), path.title, path.channel, where)

    @api.call("GET", "/delivery/closed/<string:ticket>/<string:identifier>/<path:name>", Act.OPEN, BYTES)
    def get_closed_delivery_file(path: wire.ClosedFilePath) -> Response:
        """A file of a channel by invitation, by an address that was made for it; ranges welcome."""
        found = files.open_closed_file(services, path.ticket, path.identifier, path.name)
        return _file(services, found, "private, no-store")

    @api.call("GET", "/delivery/<string:identifier>/<path:name>", Act.OPEN, BYTES)
    def get_delivery_file(path: wire.OpenFilePath) -> Response:
        """A file of a title's channels for everybody, by its identifier; ranges welcome."""
        found = files.open_file(services, path.identifier, path.name)
        return _file(services, found, "no-cache" if found.changes else FOREVER)


def _file(services: Services, found: OpenedFile, kept: str) -> Response:
    """A pack as a file where it is one, or by an address of the object store's; all else out of memory."""
    if found.digest:
        asked = parse_range_header(request.headers.get("Range"))
        address = services.store.pack_address(found.digest, asked.to_header() if asked else "")
        if address:
            return cast(Response, redirect(address, code=307))
        at = services.store.pack_file(found.digest)
        if at is not None:
            response = send_file(at, mimetype=BYTES, conditional=True, etag=found.digest.hex())
            response.headers["Cache-Control"] = kept
            return response
    return ranged(found.size, found.read, {"Cache-Control": kept})


def _origins(api: Resource, services: Services) -> None:
    @api.call("GET", TITLE + "/delivery/origins", Act.READ, wire.OriginList)
    def list_origins(path: TitlePath) -> wire.OriginList:
        """Places where the files of the channels for everybody lie besides, and whether they are current."""
        return origins.list_origins(services, current_actor(), path.title)

    @api.call("POST", TITLE + "/delivery/origins", Act.MANAGE_ORIGINS, wire.OriginList, status=201)
    def add_origin(path: TitlePath, body: wire.OriginIn) -> wire.OriginList:
        """Have devices fetch from there, too."""
        return origins.add_origin(services, current_actor(), path.title, body)

    @api.call("PATCH", ORIGIN, Act.MANAGE_ORIGINS, wire.OriginList)
    def change_origin(path: wire.OriginPath, body: wire.OriginChange) -> wire.OriginList:
        """Pause it, let it go on, or ask it earlier or later than others."""
        return origins.change_origin(services, current_actor(), path.title, path.origin, body)

    @api.call("DELETE", ORIGIN, Act.MANAGE_ORIGINS, None)
    def remove_origin(path: wire.OriginPath) -> None:
        """Devices fetch nothing from there any more."""
        origins.remove_origin(services, current_actor(), path.title, path.origin)
