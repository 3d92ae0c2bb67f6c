"""Drafts of profile documents, and who owns a document."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.titles import drafts, revisions
from rampa.schema.titles import drafts as drafts_wire
from rampa.schema.titles.titles import Title, TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import ChangeHeaders, Resource, expected_version


def resource(services: Services) -> Resource:
    api = Resource("drafts")

    @api.call("GET", "/titles/<string:title>/draft", Act.READ, drafts_wire.DraftsOut)
    def get_drafts(path: TitlePath) -> drafts_wire.DraftsOut:
        """The newest revision, your draft, and who else has one."""
        return drafts.get_drafts(services, current_actor(), path.title)

    @api.call("PUT", "/titles/<string:title>/draft", Act.CHANGE_DOCUMENT, drafts_wire.DraftOut)
    def save_draft(path: TitlePath, body: drafts_wire.DraftIn, header: ChangeHeaders) -> drafts_wire.DraftOut:
        """Keeps your draft. If-Match: the draft's version that you saw, 0 for none."""
        expected = expected_version(header.if_match, needed=True)
        return drafts.save_draft(services, current_actor(), path.title, body, expected)

    @api.call("DELETE", "/titles/<string:title>/draft", Act.CHANGE_DOCUMENT, None)
    def drop_draft(path: TitlePath) -> None:
        """Throws your draft away."""
        drafts.drop_draft(services, current_actor(), path.title)

    @api.call("POST", "/titles/<string:title>/draft/review", Act.READ, drafts_wire.ReviewOut)
    def review_draft(path: TitlePath, body: drafts_wire.DraftIn) -> drafts_wire.ReviewOut:
        """What a text would change: settings, findings, builds; and, when somebody was faster, both changes together."""
        return drafts.review(services, path.title, body)

    @api.call("PUT", "/titles/<string:title>/owner", Act.SET_DOCUMENT_OWNER, Title)
    def set_owner(path: TitlePath, body: drafts_wire.OwnerIn) -> Title:
        """Hands the document to a source repository, or back to the service."""
        return revisions.set_owner(services, current_actor(), path.title, body)

    return api
