"""Channels and placements."""

from __future__ import annotations

import hashlib

from flask import Response, request

from rampa.operations.base import Act, Services
from rampa.operations.channels import channels, gates, offers, place, placements, roll_back, rollouts
from rampa.schema import channels as wire
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import ChangeHeaders, CreateFromHeaders, Resource, expected_version, once_from

BUILD = "/builds/<int:build>"
OFFER_TYPE = "application/vnd.dsse.envelope+json"
KEPT_SECONDS = 5
"""For which whoever carries it may keep it; a roll back reaches devices no later than that after their look."""
CHANNEL = "/titles/<string:title>/channels/<string:channel>"
PLACEMENT = CHANNEL + "/placements/<int:placement>"


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

    @api.call("GET", CHANNEL + "/offer", Act.READ, wire.Offer)
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

    _rollouts(api, services)
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


def _rollouts(api: Resource, services: Services) -> None:
    @api.call("GET", PLACEMENT, Act.READ, wire.Rollout)
    def get_placement(path: wire.PlacementPath) -> wire.Rollout:
        """One placement, its share and plan, and all that it was."""
        return placements.get_placement(services, current_actor(), path.title, path.channel, path.placement)

    @api.call("POST", PLACEMENT + "/grow", Act.ROLL_OUT, wire.Rollout)
    def grow_rollout(path: wire.PlacementPath, body: wire.GrowIn) -> wire.Rollout:
        """Let more devices get it. A share only grows; at 100 % what was live before is superseded."""
        return rollouts.grow(services, current_actor(), path.title, path.channel, [path.placement], body.share)[0]

    @api.call("PUT", PLACEMENT + "/plan", Act.ROLL_OUT, wire.Rollout)
    def plan_rollout(path: wire.PlacementPath, body: wire.PlanIn) -> wire.Rollout:
        """Say how it grows by itself from now on."""
        return rollouts.plan(services, current_actor(), path.title, path.channel, [path.placement], body.plan)[0]

    @api.call("POST", PLACEMENT + "/hold", Act.ROLL_OUT, wire.Rollout)
    def hold_rollout(path: wire.PlacementPath, body: wire.HoldIn) -> wire.Rollout:
        """Stop it where it is: who has it keeps it, and nobody else gets it."""
        return rollouts.hold(services, current_actor(), path.title, path.channel, [path.placement], body.why)[0]

    @api.call("POST", PLACEMENT + "/go-on", Act.ROLL_OUT, wire.Rollout)
    def go_on_with_rollout(path: wire.PlacementPath) -> wire.Rollout:
        """Let a held one go on."""
        return rollouts.go_on(services, current_actor(), path.title, path.channel, [path.placement])[0]

    @api.call("POST", PLACEMENT + "/withdraw", Act.WITHDRAW, wire.Rollout)
    def withdraw_placement(path: wire.PlacementPath) -> wire.Rollout:
        """Take a live placement off its channel."""
        return rollouts.withdraw(services, current_actor(), path.title, path.channel, [path.placement])[0]

    @api.call("POST", CHANNEL + "/roll-back/preview", Act.READ, wire.RollBackPreview)
    def preview_roll_back(path: wire.ChannelPath, body: wire.RollBackIn) -> tuple[wire.RollBackPreview, str]:
        """What going back to an earlier build would do. Changes nothing."""
        seen = roll_back.preview(services, current_actor(), path.title, path.channel, body.build)
        return seen, seen.etag

    @api.call("POST", CHANNEL + "/roll-back", Act.ROLL_OUT, wire.Rollout, status=201)
    def roll_back_channel(path: wire.ChannelPath, body: wire.RollBackIn, header: ChangeHeaders) -> wire.Rollout:
        """Go back to a build that was placed there before, on every device. If-Match: the ETag of the preview."""
        expected = expected_version(header.if_match, needed=True)
        return roll_back.roll_back(services, current_actor(), path.title, path.channel, [body.build], expected)[0]

    @api.call("GET", "/offers/<string:identifier>/<string:channel>/<string:platform>", Act.OPEN, OFFER_TYPE)
    def get_public_offer(path: wire.PublicOfferPath) -> Response:
        """The signed offer of a channel for everybody, the same for every device that asks."""
        signed = offers.get_public_offer(services, path.identifier, path.channel, path.platform)
        response = Response(signed, content_type=OFFER_TYPE)
        response.headers["Cache-Control"] = f"public, max-age={KEPT_SECONDS}"
        response.set_etag(hashlib.sha256(signed).hexdigest()[:32])
        response.make_conditional(request)
        return response
