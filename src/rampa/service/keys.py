"""Signing identities."""

from __future__ import annotations

from rampa.operations import keys
from rampa.operations.context import Services
from rampa.schema import keys as wire
from rampa.schema.common import Page
from rampa.service.access import ENGINEERS, EVERYBODY, current_actor
from rampa.service.resource import CreateHeaders, Resource, once_from


def resource(services: Services) -> Resource:
    api = Resource("keys")

    @api.call("GET", "/keys", EVERYBODY, Page[wire.Key])
    def list_keys() -> Page[wire.Key]:
        """All signing identities; never their keys."""
        return Page[wire.Key](items=keys.list_keys(services))

    @api.call("POST", "/keys", ENGINEERS, wire.Key, status=201)
    def add_key(body: wire.NewKey, header: CreateHeaders) -> wire.Key:
        """Keep a signing identity from a PKCS#12 file."""
        return keys.add_key(services, current_actor(), body, once_from(header))

    @api.call("GET", "/keys/<string:name>", EVERYBODY, wire.Key)
    def get_key(path: wire.KeyPath) -> wire.Key:
        """One signing identity with its certificate."""
        return keys.get_key(services, path.name)

    return api
