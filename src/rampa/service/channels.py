"""Channels and placements."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.channels import channels, gates, offers, place, placements
from rampa.schema import channels as wire
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import CreateFromHeaders, Resource, expected_version, once_from

BUILD = "/builds/<int:build>"
CHANNEL = "/titles/<string:title>/channels/<string:channel>"


def resource(services: Services) -> Resource:
    api = Resource("channels")

    @api.call("GET", "/titles/<string:title>/channels", Act.READ, wire.ChannelList)
    def list_channels(path: TitlePath) -> wire.ChannelList:
        """A title's channels with what is live on them."""
        return placements.list_channels(services, current_actor(), path.title)

    @api.call("POST", "/titles/<string:title>/channels", Act.CHANGE_CHANNEL, wire.ChannelList, status=201)
    def add_channel(path: TitlePath, body: wire.NewChannel) -> wire.ChannelList:
        """Add a channel of the title's own; answers all of them."""
        return channels.add_channel(services, current_actor(), path.title, body)

    @api.call("PATCH", CHANNEL, Act.CHANGE_CHANNEL, wire.ChannelList)
    def change_channel(path: wire.ChannelPath, body: wire.ChannelChange) -> wire.ChannelList:
        """Give a channel another name, audience or place in the order. Devices that follow it go on."""
        return channels.change_channel(services, current_actor(), path.title, path.channel, body)

    @api.call("DELETE", CHANNEL, Act.CHANGE_CHANNEL, wire.ChannelList)
    def remove_channel(path: wire.ChannelPath) -> wire.ChannelList:
        """Remove a channel that nothing was ever placed on and nobody follows."""
        return channels.remove_channel(services, current_actor(), path.title, path.channel)

    @api.call("GET", CHANNEL, Act.READ, wire.Channel)
    def get_channel(path: wire.ChannelPath) -> wire.Channel:
        """One channel: live placements and history."""
        return placements.get_channel(services, current_actor(), path.title, path.channel)

    @api.call("GET", CHANNEL + "/offer", Act.FETCH_BUILD, wire.Offer)
    def get_offer(path: wire.ChannelPath, query: wire.OfferQuery) -> wire.Offer:
        """The builds that devices of this platform should have now."""
        return offers.get_offer(services, path.title, path.channel, query.platform)

    @api.call("POST", CHANNEL + "/preview", Act.READ, wire.PlacePreview)
    def preview_placement(path: wire.ChannelPath, body: wire.PlaceIn) -> tuple[wire.PlacePreview, str]:
        """What placing a build would do: findings, changed files, what players download. Changes nothing."""
        seen = place.preview(services, current_actor(), path.title, path.channel, body.build)
        return seen, seen.etag

    @api.call("POST", CHANNEL + "/placements", Act.PLACE, wire.Placement, status=201)
    def place_build(path: wire.ChannelPath, body: wire.PlaceIn, header: CreateFromHeaders) -> wire.Placement:
        """Place a build. If-Match: the ETag of the preview."""
        expected = expected_version(header.if_match, needed=True)
        actor = current_actor()
        return place.place(services, actor, path.title, path.channel, body, expected, once_from(header))

    _gates(api, services)
    return api


def _gates(api: Resource, services: Services) -> None:
    @api.call("PUT", CHANNEL + "/gates", Act.SET_GATES, wire.Channel)
    def set_gates(path: wire.ChannelPath, body: wire.GatesIn) -> wire.Channel:
        """Set what must be true of a build before it stands there."""
        return gates.set_gates(services, current_actor(), path.title, path.channel, body)

    @api.call("GET", CHANNEL + BUILD + "/gates", Act.READ, wire.GatesOut)
    def list_gates(path: wire.GateBuildPath) -> wire.GatesOut:
        """How the channel's gates stand for a build that you would place."""
        found = gates.list_gates(services, current_actor(), path.title, path.channel, path.build)
        return wire.GatesOut(items=found)

    @api.call("POST", CHANNEL + BUILD + "/approval", Act.APPROVE_BUILD, wire.GatesOut)
    def approve_build(path: wire.GateBuildPath) -> wire.GatesOut:
        """Say that a build may stand there; the approvals gate counts it for everybody but you."""
        found = gates.approve_build(services, current_actor(), path.title, path.channel, path.build)
        return wire.GatesOut(items=found)

    @api.call("POST", CHANNEL + BUILD + "/waiver", Act.WAIVE_GATE, wire.GatesOut)
    def waive_gate(path: wire.GateBuildPath, body: wire.WaiveIn) -> wire.GatesOut:
        """Waive a gate for one build, with a reason that stays."""
        found = gates.waive_gate(services, current_actor(), path.title, path.channel, path.build, body)
        return wire.GatesOut(items=found)
