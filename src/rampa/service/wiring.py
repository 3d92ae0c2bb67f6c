"""Puts the service together. Nothing else imports everything."""

from __future__ import annotations

import json
from pathlib import Path

from flask import Response
from flask_openapi.openapi import OpenAPI

from rampa import __version__
from rampa.operations.base import Act, Services
from rampa.schema.common import Problem
from rampa.service import (
    agents,
    board,
    calendar,
    channels,
    console,
    delivery,
    devices,
    events,
    health,
    listings,
    notices,
    profiles,
    releases,
    replays,
    reviews,
    rollouts,
    schedule,
    screens,
    sources,
    store,
    storefronts,
    studio,
    submissions,
    updates,
    versions,
)
from rampa.service.base import access, problems, telemetry
from rampa.service.base.access import AccessTable
from rampa.service.base.address import PROXIES
from rampa.service.base.resource import PREFIX
from rampa.service.builds import builds, changes
from rampa.service.people import people, sign_in
from rampa.service.runs import bisects, runs, triggers
from rampa.service.settings import ServiceSettings
from rampa.service.signing import grants, identities
from rampa.service.testers import feedback, groups, invitations, sign_offs, testing
from rampa.service.titles import drafts, titles
from rampa.service.titles import people as title_people

BODY_LIMIT = 160 * 1024 * 1024


def make_app(
    services: Services,
    console_folder: Path | None = None,
    secure_cookies: bool = False,
    proxies: frozenset[str] = frozenset(),
    factor_needed: bool = False,
) -> OpenAPI:
    """The Flask application. Its `access` table says what each endpoint does."""
    app = OpenAPI(
        "rampa",
        info={"title": "Rampa", "version": __version__, "description": "Builds from folder to player."},
        security_schemes={
            "bearer": {"type": "http", "scheme": "bearer"},
            "cookie": {"type": "apiKey", "in": "cookie", "name": access.COOKIE},
        },
        validation_error_callback=problems.on_validation_error,
        validation_error_model=Problem,
        doc_ui=False,
        static_folder=None,
    )
    app.openapi_version = "3.1.0"
    app.config["MAX_CONTENT_LENGTH"] = BODY_LIMIT
    table = AccessTable({})
    app.extensions["rampa_access"] = table
    app.extensions[PROXIES] = proxies
    telemetry.install(app, services, table)
    access.install(app, services, table, factor_needed)
    problems.install(app)
    for resource in (
        people.resource(services, secure_cookies),
        sign_in.resource(services, secure_cookies),
        titles.resource(services),
        title_people.resource(services),
        profiles.resource(services),
        drafts.resource(services),
        listings.resource(services),
        storefronts.resource(services),
        submissions.resource(services),
        identities.resource(services),
        grants.resource(services),
        versions.resource(services),
        builds.resource(services),
        changes.resource(services),
        sources.resource(services),
        triggers.resource(services),
        runs.resource(services),
        bisects.resource(services),
        agents.resource(services),
        board.resource(services),
        calendar.resource(services),
        studio.resource(services),
        channels.resource(services),
        rollouts.resource(services),
        releases.resource(services),
        reviews.resource(services),
        schedule.resource(services),
        health.resource(services),
        devices.resource(services),
        delivery.resource(services),
        screens.resource(services),
        groups.resource(services),
        invitations.resource(services),
        testing.resource(services),
        sign_offs.resource(services),
        feedback.resource(services),
        events.resource(services),
        notices.resource(services),
        updates.resource(services),
        replays.resource(services),
        store.resource(services),
    ):
        app.register_api(resource)
        table.acts.update(resource.acts)
    _document(app, table)
    console.install(app, console_folder, table)
    return app


def _document(app: OpenAPI, table: AccessTable) -> None:
    def openapi_document() -> Response:
        return Response(json.dumps(app.api_doc), content_type="application/json")

    app.add_url_rule(f"{PREFIX}/openapi.json", "openapi_document", openapi_document)
    table.acts["openapi_document"] = Act.OPEN


def from_environment() -> OpenAPI:
    """What gunicorn calls."""
    settings = ServiceSettings.from_environment()
    telemetry.configure_logs()
    app: OpenAPI = make_app(
        settings.process.services(),
        settings.console,
        settings.secure_cookies,
        settings.proxies,
        settings.factor_needed,
    )
    return app
