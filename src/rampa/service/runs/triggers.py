"""Triggers and environment groups."""

from __future__ import annotations

from flask import request

from rampa.operations.base.context import Services
from rampa.operations.runs import triggers
from rampa.operations.variables import variables
from rampa.schema import sources as wire
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import ENGINEERS, EVERYBODY, PUBLIC, current_actor
from rampa.service.base.resource import ChangeHeaders, Resource, expected_version

TRIGGERS = "/titles/<string:title>/triggers"
TRIGGER = TRIGGERS + "/<string:trigger>"
ENVIRONMENT = "/environments/<string:environment>"


def resource(services: Services) -> Resource:
    api = Resource("triggers")

    @api.call("GET", TRIGGERS, EVERYBODY, Page[wire.TriggerOut])
    def list_triggers(path: TitlePath) -> Page[wire.TriggerOut]:
        """What starts runs by itself, and what each said last."""
        return Page[wire.TriggerOut](items=triggers.list_triggers(services, path.title))

    @api.call("POST", TRIGGERS, ENGINEERS, wire.TriggerOut, status=201)
    def add_trigger(path: TitlePath, body: wire.NewTrigger) -> wire.TriggerOut:
        """A new trigger. The secret of one by call is in this answer only."""
        return triggers.add_trigger(services, current_actor(), path.title, body)

    @api.call("PUT", TRIGGER, ENGINEERS, wire.TriggerOut)
    def change_trigger(path: wire.TriggerPath, body: wire.TriggerIn) -> wire.TriggerOut:
        """Change a trigger, or switch it off."""
        return triggers.change_trigger(services, current_actor(), path.title, path.trigger, body)

    @api.call("DELETE", TRIGGER, ENGINEERS, None)
    def remove_trigger(path: wire.TriggerPath) -> None:
        """Remove a trigger."""
        triggers.remove_trigger(services, current_actor(), path.title, path.trigger)

    @api.call("POST", TRIGGER + "/call", PUBLIC, wire.CallOut)
    def call_trigger(path: wire.TriggerPath, body: wire.CallIn, header: wire.CallHeaders) -> wire.CallOut:
        """Start runs by a signed call: Rampa-Time and Rampa-Hmac stand for a sign-in (docs/formats.md)."""
        return triggers.called(services, path.title, path.trigger, header, request.get_data(), body)

    _environments(api, services)
    return api


def _environments(api: Resource, services: Services) -> None:
    @api.call("GET", "/environments", ENGINEERS, Page[wire.EnvironmentOut])
    def list_environments() -> Page[wire.EnvironmentOut]:
        """Environment groups: variables, and the names of secrets."""
        return Page[wire.EnvironmentOut](items=variables.list_environments(services))

    @api.call("GET", ENVIRONMENT, ENGINEERS, wire.EnvironmentOut)
    def get_environment(path: wire.EnvironmentPath) -> tuple[wire.EnvironmentOut, int]:
        """One group; the ETag is its version."""
        return variables.get_environment(services, path.environment)

    @api.call("PUT", ENVIRONMENT, ENGINEERS, wire.EnvironmentOut)
    def put_environment(
        path: wire.EnvironmentPath, body: wire.EnvironmentIn, header: ChangeHeaders
    ) -> tuple[wire.EnvironmentOut, int]:
        """Make or replace a group. A secret whose value is null keeps what it had. If-Match: the ETag that you saw, or *."""
        expected = expected_version(header.if_match, needed=False)
        return variables.put_environment(services, current_actor(), path.environment, body, expected)

    @api.call("DELETE", ENVIRONMENT, ENGINEERS, None)
    def remove_environment(path: wire.EnvironmentPath) -> None:
        """Remove a group that no profile names."""
        variables.remove_environment(services, current_actor(), path.environment)
