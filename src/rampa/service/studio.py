"""Who the studio is, its documents, its verification."""

from __future__ import annotations

import io

from flask import Response, request, send_file

from rampa.core.studio.verification import LARGEST_DOCUMENT
from rampa.operations.base import Act, Services
from rampa.operations.studio import documents, verification
from rampa.schema import studio as wire
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

DOCUMENT = "application/octet-stream"
AT = "/studio/documents/<string:kind>"


def resource(services: Services) -> Resource:
    api = Resource("studio")

    @api.call("GET", "/studio", Act.READ_STUDIO, wire.StudioOut)
    def get_studio() -> wire.StudioOut:
        """Who the studio is, what lies there to show it, and where its verification is."""
        return documents.get_studio(services, current_actor())

    @api.call("PUT", "/studio", Act.MANAGE_STUDIO, wire.StudioOut)
    def say_studio(body: wire.StudioFacts) -> wire.StudioOut:
        """Say who the studio is, in place of what was said before."""
        return documents.say_facts(services, current_actor(), body)

    @api.call("PUT", AT, Act.MANAGE_STUDIO, wire.StudioOut, sends=DOCUMENT)
    def add_studio_document(path: wire.DocumentKindPath, query: wire.DocumentName) -> wire.StudioOut:
        """Send a document (PDF, PNG, JPEG) of up to 8 MiB, in place of one of its kind."""
        data = request.stream.read(LARGEST_DOCUMENT + 1)
        return documents.add_document(services, current_actor(), path.kind, query.name, data)

    @api.call("DELETE", AT, Act.MANAGE_STUDIO, wire.StudioOut)
    def drop_studio_document(path: wire.DocumentKindPath) -> wire.StudioOut:
        """Remove a document. What was handed in stays handed in."""
        return documents.drop_document(services, current_actor(), path.kind)

    @api.call("GET", AT, Act.READ_STUDIO_DOCUMENT, DOCUMENT)
    def read_studio_document(path: wire.DocumentKindPath) -> Response:
        """A document, to be saved; that you read it is written down."""
        data, media, name = documents.read_document(services, current_actor(), path.kind)
        return send_file(io.BytesIO(data), mimetype=media, as_attachment=True, download_name=name)

    @api.call("POST", "/studio/verifications/<string:verifier>", Act.MANAGE_STUDIO, wire.StudioOut)
    def hand_in_studio(path: wire.VerifierPath) -> wire.StudioOut:
        """Hand in what is said and lies there: to a storefront, or as `rampa` to the studio's own reviewers."""
        return verification.hand_in(services, current_actor(), path.verifier)

    @api.call("POST", "/studio/verifications/<string:verifier>/look", Act.CONNECT_STOREFRONT, wire.StudioOut)
    def look_at_verification(path: wire.VerifierPath) -> wire.StudioOut:
        """Ask a storefront now where the verification is."""
        return verification.look(services, current_actor(), path.verifier)

    @api.call("POST", "/studio/verdict", Act.VERIFY_STUDIO, wire.StudioOut)
    def verify_studio(body: wire.VerdictIn) -> wire.StudioOut:
        """The word of the studio's own reviewers, for Rampa's own lines."""
        return verification.decide(services, current_actor(), body)

    return api
