"""Signing identities: kept, unlocked, exported, drilled, handed over."""

from __future__ import annotations

from flask import Response

from rampa.operations.base import Act, Services
from rampa.operations.signing import backup, identities, outside, policy, succession, unlock, views
from rampa.schema.common import Page
from rampa.schema.signing import identities as wire
from rampa.service.base.access import current_actor
from rampa.service.base.resource import CreateHeaders, Resource, once_from

KEY = "/keys/<string:name>"


def resource(services: Services) -> Resource:
    api = Resource("keys")

    @api.call("GET", "/keys", Act.READ, Page[wire.Key])
    def list_keys() -> Page[wire.Key]:
        """All signing identities; never their keys."""
        return Page[wire.Key](items=identities.list_keys(services))

    @api.call("POST", "/keys", Act.ADD_KEY, wire.Key, status=201)
    def add_key(body: wire.NewKey, header: CreateHeaders) -> wire.Key:
        """Keep a signing identity from a PKCS#12 file, or from a PKCS#8 key with its certificate."""
        return identities.add_key(services, current_actor(), body, once_from(header))

    @api.call("POST", "/keys/outside", Act.CONNECT_KEY, wire.Key, status=201)
    def connect_key(body: wire.ConnectKey) -> wire.Key:
        """Use a key of the key module as a signing identity; the service never has it."""
        return outside.connect_key(services, current_actor(), body)

    @api.call("GET", KEY, Act.READ, wire.Key)
    def get_key(path: wire.KeyPath) -> wire.Key:
        """One signing identity with its certificate."""
        return identities.get_key(services, path.name)

    @api.call("GET", KEY + "/uses", Act.READ, wire.KeyUses)
    def list_key_uses(path: wire.KeyPath) -> wire.KeyUses:
        """Who used it, for which run, over what; newest first."""
        return views.list_uses(services, path.name)

    @api.call("POST", KEY + "/unlock", Act.UNLOCK_KEY, wire.Key)
    def unlock_key(path: wire.KeyPath, body: wire.UnlockIn) -> wire.Key:
        """Unlock it for a time or for one run. Runs that wait for it go on."""
        unlock.unlock(services, current_actor(), path.name, body)
        return identities.get_key(services, path.name)

    @api.call("POST", KEY + "/lock", Act.UNLOCK_KEY, wire.Key)
    def lock_key(path: wire.KeyPath) -> wire.Key:
        """Lock it at once."""
        unlock.lock(services, current_actor(), path.name)
        return identities.get_key(services, path.name)

    @api.call("PUT", KEY + "/policy", Act.SET_KEY_POLICY, wire.Key)
    def set_key_policy(path: wire.KeyPath, body: wire.KeyPolicyWire) -> wire.Key:
        """Say what it may be used for: titles, identifiers, purposes, branches, approvals, uses a day."""
        return policy.set_policy(services, current_actor(), path.name, body)

    _moving(api, services)
    return api


def _moving(api: Resource, services: Services) -> None:
    """What moves an identity: out, back, on to the next."""

    @api.call("POST", KEY + "/export", Act.EXPORT_KEY, wire.Export)
    def export_key(path: wire.KeyPath, body: wire.ExportIn) -> wire.Export:
        """The identity as PKCS#12 under your password."""
        return backup.export_key(services, current_actor(), path.name, body)

    @api.call("GET", KEY + "/probe", Act.DRILL_KEY, wire.Probe)
    def get_probe(path: wire.KeyPath) -> wire.Probe:
        """What a restore drill signs; good for an hour or two."""
        return backup.probe(services, path.name)

    @api.call("POST", KEY + "/drill", Act.DRILL_KEY, wire.Key)
    def pass_drill(path: wire.KeyPath, body: wire.DrillIn) -> wire.Key:
        """The probe, signed with a restored export: the identity is backed up."""
        return backup.pass_drill(services, current_actor(), path.name, body)

    @api.call("POST", KEY + "/hand-over", Act.HAND_OVER_KEY, wire.Key)
    def hand_over(path: wire.KeyPath, body: wire.HandOverIn) -> wire.Key:
        """Hand over to a successor: a succession is made. Answers the successor."""
        return succession.hand_over(services, current_actor(), path.name, body)

    @api.call("GET", KEY + "/succession", Act.READ, "application/octet-stream")
    def get_succession(path: wire.KeyPath) -> Response:
        """The succession that ends with this identity."""
        return Response(succession.get_succession(services, path.name), content_type="application/octet-stream")

    @api.call("POST", "/vault/master-key", Act.CHANGE_MASTER_KEY, wire.Rewrapped)
    def change_master_key() -> wire.Rewrapped:
        """Wrap every secret again with the first of the service's master keys."""
        return succession.change_master_key(services, current_actor())
