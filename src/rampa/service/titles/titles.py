"""Titles, revisions, the ramp."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.channels import ramp
from rampa.operations.titles import revisions, titles
from rampa.schema.common import Page
from rampa.schema.titles import titles as wire
from rampa.schema.titles.drafts import RevisionChange
from rampa.service.base.access import current_actor
from rampa.service.base.resource import CreateFromHeaders, CreateHeaders, Resource, expected_version, once_from


def resource(services: Services) -> Resource:
    api = Resource("titles")

    @api.call("GET", "/titles", Act.READ, Page[wire.Title])
    def list_titles() -> Page[wire.Title]:
        """All titles of the studio."""
        return Page[wire.Title](items=titles.list_titles(services))

    @api.call("POST", "/titles", Act.IMPORT_TITLE, wire.Title, status=201)
    def import_title(body: wire.DocumentIn, header: CreateHeaders) -> wire.Title:
        """A new title from its profile document; all problems of the document are answered at once."""
        return titles.import_title(services, current_actor(), body, once_from(header))

    @api.call("GET", "/titles/<string:title>", Act.READ, wire.Title)
    def get_title(path: wire.TitlePath) -> tuple[wire.Title, int]:
        """A title as its newest revision describes it; the ETag is the revision's number."""
        found = titles.get_title(services, path.title)
        return found, found.revision

    @api.call("GET", "/titles/<string:title>/revisions", Act.READ, Page[wire.Revision])
    def list_revisions(path: wire.TitlePath) -> Page[wire.Revision]:
        """The revisions of the profile document, newest first."""
        return Page[wire.Revision](items=revisions.list_revisions(services, path.title))

    @api.call("POST", "/titles/<string:title>/revisions", Act.CHANGE_DOCUMENT, wire.Title, status=201)
    def add_revision(path: wire.TitlePath, body: wire.DocumentIn, header: CreateFromHeaders) -> wire.Title:
        """A new revision. If-Match: the revision that you saw."""
        expected = expected_version(header.if_match, needed=True)
        return revisions.add_revision(services, current_actor(), path.title, body, expected, once_from(header))

    @api.call("GET", "/titles/<string:title>/revisions/<int:revision>", Act.READ, wire.RevisionText)
    def get_revision(path: wire.RevisionPath) -> wire.RevisionText:
        """One revision with its text, byte for byte."""
        return revisions.get_revision(services, path.title, path.revision)

    @api.call("GET", "/titles/<string:title>/revisions/<int:revision>/change", Act.READ, RevisionChange)
    def get_revision_change(path: wire.RevisionPath) -> RevisionChange:
        """What a revision changed against the one before: as text, and setting by setting."""
        return revisions.get_change(services, path.title, path.revision)

    @api.call("GET", "/titles/<string:title>/ramp", Act.READ, wire.Ramp)
    def get_ramp(path: wire.TitlePath) -> wire.Ramp:
        """What is live where, what comes next, what blocks it."""
        return ramp.get_ramp(services, current_actor(), path.title)

    @api.call("PUT", "/titles/<string:title>/sandbox", Act.SET_ISOLATION, wire.Title)
    def need_sandbox(path: wire.TitlePath, body: wire.SandboxIn) -> wire.Title:
        """Say whether a title's runs go only to agents with a sandbox."""
        return titles.need_sandbox(services, current_actor(), path.title, body)

    return api
