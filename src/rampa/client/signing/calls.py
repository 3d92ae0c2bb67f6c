"""Signing identities, grants, the keys of encrypted content."""

from __future__ import annotations

import base64

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema.common import Page
from rampa.schema.signing import content_keys as content_keys_wire
from rampa.schema.signing import grants as grants_wire
from rampa.schema.signing import identities as keys_wire


class SigningCalls(Calls):
    """`client.signing`."""

    def content_keys(self, title: str, number: int) -> content_keys_wire.ContentKeys:
        return self.connection.get(content_keys_wire.ContentKeys, f"{API}/titles/{title}/builds/{number}/content-keys")

    def unseal(self, title: str, number: int) -> content_keys_wire.ContentKeys:
        path = f"{API}/titles/{title}/builds/{number}/content-keys/unseal"
        return self.connection.post(content_keys_wire.ContentKeys, path)

    def all(self) -> list[keys_wire.Key]:
        return self.connection.get(Page[keys_wire.Key], f"{API}/keys").items

    def get(self, name: str) -> keys_wire.Key:
        return self.connection.get(keys_wire.Key, f"{API}/keys/{name}")

    def add(self, key: keys_wire.NewKey) -> keys_wire.Key:
        return self.connection.post(keys_wire.Key, f"{API}/keys", key)

    def connect(self, key: keys_wire.ConnectKey) -> keys_wire.Key:
        return self.connection.post(keys_wire.Key, f"{API}/keys/outside", key)

    def uses(self, name: str) -> list[keys_wire.KeyUse]:
        return self.connection.get(keys_wire.KeyUses, f"{API}/keys/{name}/uses").items

    def unlock(self, name: str, asked: keys_wire.UnlockIn) -> keys_wire.Key:
        return self.connection.post(keys_wire.Key, f"{API}/keys/{name}/unlock", asked)

    def lock(self, name: str) -> keys_wire.Key:
        return self.connection.post(keys_wire.Key, f"{API}/keys/{name}/lock")

    def export(self, name: str, password: str) -> bytes:
        """PKCS#12 under `password`."""
        asked = keys_wire.ExportIn(password=password)
        return base64.b64decode(self.connection.post(keys_wire.Export, f"{API}/keys/{name}/export", asked).pkcs12)

    def probe(self, name: str) -> bytes:
        return base64.b64decode(self.connection.get(keys_wire.Probe, f"{API}/keys/{name}/probe").probe)

    def pass_drill(self, name: str, signature: bytes) -> keys_wire.Key:
        asked = keys_wire.DrillIn(signature=base64.b64encode(signature).decode())
        return self.connection.post(keys_wire.Key, f"{API}/keys/{name}/drill", asked)

    def hand_over(self, name: str, successor: str) -> keys_wire.Key:
        return self.connection.post(
            keys_wire.Key, f"{API}/keys/{name}/hand-over", keys_wire.HandOverIn(successor=successor)
        )

    def succession(self, name: str) -> bytes:
        return self._bytes(f"{API}/keys/{name}/succession")

    def set_policy(self, name: str, policy: keys_wire.KeyPolicyWire) -> keys_wire.Key:
        return self.connection.send(keys_wire.Key, "PUT", f"{API}/keys/{name}/policy", json_of(policy), JSON)

    def change_master_key(self) -> keys_wire.Rewrapped:
        return self.connection.post(keys_wire.Rewrapped, f"{API}/vault/master-key")

    def _bytes(self, path: str) -> bytes:
        return self.connection.request("GET", path).content

    def grants(self, title: str) -> grants_wire.Grants:
        return self.connection.get(grants_wire.Grants, f"{API}/titles/{title}/grants")

    def make_grant(self, title: str, asked: grants_wire.NewGrant) -> grants_wire.GrantOut:
        return self.connection.post(grants_wire.GrantOut, f"{API}/titles/{title}/grants", asked)

    def grant_of(self, title: str, number: int) -> bytes:
        return self._bytes(f"{API}/titles/{title}/builds/{number}/grant")

    def restriction(self, title: str, number: int) -> grants_wire.Restriction:
        return self.connection.get(grants_wire.Restriction, f"{API}/titles/{title}/builds/{number}/restriction")

    def re_sign(self, title: str, number: int, grant: int = 0) -> grants_wire.ReSigned:
        path = f"{API}/titles/{title}/builds/{number}/re-sign"
        return self.connection.post(grants_wire.ReSigned, path, grants_wire.ReSignIn(grant=grant))
