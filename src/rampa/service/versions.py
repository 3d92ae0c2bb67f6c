"""Version codes of a title."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.versions import lists
from rampa.schema import versions as wire
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

CODES = "/titles/<string:title>/versions"


def resource(services: Services) -> Resource:
    api = Resource("versions")

    @api.call("GET", CODES + "/next", Act.READ, wire.NextCodes)
    def next_versions(path: TitlePath) -> wire.NextCodes:
        """For each profile the version code that its next build would get."""
        return lists.next_codes(services, path.title)

    @api.call("GET", CODES, Act.READ, Page[wire.CodeHeld])
    def list_versions(path: TitlePath, query: wire.HistoryQuery) -> Page[wire.CodeHeld]:
        """Who holds which version code and why, newest first."""
        return lists.history(services, path.title, query)

    @api.call("POST", CODES + "/taken", Act.MARK_CODE_TAKEN, wire.CodeHeld, status=201)
    def take_version(path: TitlePath, body: wire.TakenIn) -> wire.CodeHeld:
        """A code that a storefront knows already: it is never given."""
        return lists.take(services, current_actor(), path.title, body)

    return api
