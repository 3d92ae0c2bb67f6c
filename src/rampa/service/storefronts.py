"""The studio's accounts at storefronts."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.storefronts import accounts
from rampa.schema import storefront_accounts as wire
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

STOREFRONT = "/storefronts/<string:storefront>"


def resource(services: Services) -> Resource:
    api = Resource("storefronts")

    @api.call("GET", "/storefronts", Act.READ, wire.StorefrontAccounts)
    def list_storefronts() -> wire.StorefrontAccounts:
        """The studio's accounts, how each stands, and what its storefront can do."""
        return accounts.list_accounts(services, current_actor())

    @api.call("POST", "/storefronts", Act.CONNECT_STOREFRONT, wire.Connecting, status=201)
    def connect_storefront(body: wire.NewStorefront) -> wire.Connecting:
        """Connect an account: Rampa makes itself known there; a person lets it in at the address that is answered."""
        return accounts.connect(services, current_actor(), body)

    @api.call("POST", STOREFRONT + "/connect", Act.CONNECT_STOREFRONT, wire.Connecting)
    def connect_storefront_again(path: wire.StorefrontPath) -> wire.Connecting:
        """The address where a person lets Rampa in once more: after it was revoked, or with more rights."""
        return accounts.connect_again(services, current_actor(), path.storefront)

    @api.call("POST", "/storefronts/return", Act.CONNECT_STOREFRONT, wire.StorefrontAccount)
    def return_from_storefront(body: wire.ConsentReturn) -> wire.StorefrontAccount:
        """What the storefront sent back with the browser becomes the account's access."""
        return accounts.come_back(services, current_actor(), body)

    @api.call("POST", STOREFRONT + "/look", Act.CONNECT_STOREFRONT, wire.StorefrontAccount)
    def look_at_storefront(path: wire.StorefrontPath) -> wire.StorefrontAccount:
        """Ask the storefront now what the account may."""
        return accounts.look(services, current_actor(), path.storefront)

    @api.call("DELETE", STOREFRONT, Act.CONNECT_STOREFRONT, None)
    def disconnect_storefront(path: wire.StorefrontPath) -> None:
        """Take the account away: its access is revoked there, and forgotten here."""
        accounts.disconnect(services, current_actor(), path.storefront)

    return api
