"""Triggers and step variables."""

from __future__ import annotations

from flask import request

from rampa.operations.base import Act, Services
from rampa.operations.runs import triggers
from rampa.operations.variables import variables
from rampa.schema import sources as wire
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import ChangeHeaders, Resource, expected_version

TRIGGERS = "/titles/<string:title>/triggers"
TRIGGER = TRIGGERS + "/<string:trigger>"
VARIABLES = "/variables/<string:variables>"


def resource(services: Services) -> Resource:
    api = Resource("triggers")

    @api.call("GET", TRIGGERS, Act.READ, Page[wire.TriggerOut])
    def list_triggers(path: TitlePath) -> Page[wire.TriggerOut]:
        """What starts runs by itself, and what each said last."""
        return Page[wire.TriggerOut](items=triggers.list_triggers(services, path.title))

    @api.call("POST", TRIGGERS, Act.CHANGE_TRIGGER, wire.TriggerOut, status=201)
    def add_trigger(path: TitlePath, body: wire.NewTrigger) -> wire.TriggerOut:
        """A new trigger. The secret of one by call is in this answer only."""
        return triggers.add_trigger(services, current_actor(), path.title, body)

    @api.call("PUT", TRIGGER, Act.CHANGE_TRIGGER, wire.TriggerOut)
    def change_trigger(path: wire.TriggerPath, body: wire.TriggerIn) -> wire.TriggerOut:
        """Change a trigger, or switch it off."""
        return triggers.change_trigger(services, current_actor(), path.title, path.trigger, body)

    @api.call("DELETE", TRIGGER, Act.CHANGE_TRIGGER, None)
    def remove_trigger(path: wire.TriggerPath) -> None:
        """Remove a trigger."""
        triggers.remove_trigger(services, current_actor(), path.title, path.trigger)

    @api.call("POST", TRIGGER + "/call", Act.OPEN, wire.CallOut)
    def call_trigger(path: wire.TriggerPath, body: wire.CallIn, header: wire.CallHeaders) -> wire.CallOut:
        """Start runs by a signed call: Rampa-Time and Rampa-Hmac stand for a sign-in (docs/formats.md)."""
        return triggers.called(services, path.title, path.trigger, header, request.get_data(), body)

    _variables(api, services)
    return api


def _variables(api: Resource, services: Services) -> None:
    @api.call("GET", "/variables", Act.READ_VARIABLES, Page[wire.StepVariablesOut])
    def list_variables() -> Page[wire.StepVariablesOut]:
        """Step variables: variables, and the names of secrets."""
        return Page[wire.StepVariablesOut](items=variables.list_variables(services))

    @api.call("GET", VARIABLES, Act.READ_VARIABLES, wire.StepVariablesOut)
    def get_variables(path: wire.StepVariablesPath) -> tuple[wire.StepVariablesOut, int]:
        """One group; the ETag is its version."""
        return variables.get_variables(services, path.variables)

    @api.call("PUT", VARIABLES, Act.CHANGE_VARIABLES, wire.StepVariablesOut)
    def put_variables(
        path: wire.StepVariablesPath, body: wire.StepVariablesIn, header: ChangeHeaders
    ) -> tuple[wire.StepVariablesOut, int]:
        """Make or replace a group. A secret whose value is null keeps what it had. If-Match: the ETag that you saw, or *."""
        expected = expected_version(header.if_match, needed=False)
        return variables.put_variables(services, current_actor(), path.variables, body, expected)

    @api.call("DELETE", VARIABLES, Act.CHANGE_VARIABLES, None)
    def remove_variables(path: wire.StepVariablesPath) -> None:
        """Remove a group that no profile names."""
        variables.remove_variables(services, current_actor(), path.variables)
