"""The content store: for the studio's owner and engineers."""

from __future__ import annotations

import datetime as dt

from rampa.operations.base import Act, Services
from rampa.operations.store import check, collection, usage
from rampa.operations.store import repack as repacking
from rampa.schema import store as wire
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource


def resource(services: Services) -> Resource:
    api = Resource("store")

    @api.call("GET", "/store", Act.READ_STORE, wire.UsageOut)
    def get_usage() -> wire.UsageOut:
        """What the store holds: by title, channel and age, and how it grew."""
        return usage.usage(services)

    @api.call("GET", "/store/check", Act.READ_STORE, wire.StoreCheckOut)
    def get_check() -> wire.StoreCheckOut:
        """The latest check and how far it is."""
        return check.latest(services)

    @api.call("POST", "/store/check", Act.CHANGE_STORE, wire.StoreCheckOut, status=202)
    def start_check(body: wire.StoreCheckIn) -> wire.StoreCheckOut:
        """Check every pack and manifest in the background; one that was interrupted goes on."""
        return check.start(services, current_actor(), body.fix)

    @api.call("POST", "/store/check/cancel", Act.CHANGE_STORE, wire.StoreCheckOut)
    def cancel_check() -> wire.StoreCheckOut:
        """Stop a running check; what it found stays."""
        return check.cancel(services, current_actor())

    @api.call("POST", "/store/collect/preview", Act.READ_STORE, wire.CollectOut)
    def preview_collect(body: wire.CollectIn) -> wire.CollectOut:
        """What a collection would condemn and remove now. Changes nothing."""
        return collection.preview(services, *_hours(body))

    @api.call("POST", "/store/collect", Act.CHANGE_STORE, wire.CollectOut)
    def collect(body: wire.CollectIn) -> wire.CollectOut:
        """Condemn what nothing needs, and remove what was condemned long enough ago."""
        return collection.collect(services, current_actor(), *_hours(body))

    @api.call("POST", "/store/repack/preview", Act.READ_STORE, wire.RepackOut)
    def preview_repack(body: wire.RepackIn) -> wire.RepackOut:
        """Packs of which little is needed. Changes nothing."""
        return repacking.preview(services, body.share)

    @api.call("POST", "/store/repack", Act.CHANGE_STORE, wire.RepackOut)
    def repack(body: wire.RepackIn) -> wire.RepackOut:
        """Pack again what is left of them; the old packs go by the next collections."""
        return repacking.repack(services, current_actor(), body.share)

    return api


def _hours(body: wire.CollectIn) -> tuple[dt.timedelta, dt.timedelta]:
    return dt.timedelta(hours=body.young_hours), dt.timedelta(hours=body.grace_hours)
