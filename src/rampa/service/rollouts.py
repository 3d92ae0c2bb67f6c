"""Rollouts: growing, holding and rolling back; and the offers by which devices hear of it."""

from __future__ import annotations

import hashlib

from flask import Response, request

from rampa.operations.base import Act, Services
from rampa.operations.channels import offers, placements, roll_back, rollouts
from rampa.schema import rollouts as wire
from rampa.schema.channels import ChannelPath, PlacementPath, PublicOfferPath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import ChangeHeaders, Resource, expected_version

OFFER_TYPE = "application/vnd.dsse.envelope+json"
KEPT_SECONDS = 5
"""For which whoever carries it may keep it; a roll back reaches devices no later than that after their look."""
CHANNEL = "/titles/<string:title>/channels/<string:channel>"
PLACEMENT = CHANNEL + "/placements/<int:placement>"


def resource(services: Services) -> Resource:
    api = Resource("rollouts")

    @api.call("GET", PLACEMENT, Act.READ, wire.Rollout)
    def get_placement(path: PlacementPath) -> wire.Rollout:
        """One placement, its share and plan, and all that it was."""
        return placements.get_placement(services, current_actor(), path.title, path.channel, path.placement)

    @api.call("POST", PLACEMENT + "/grow", Act.ROLL_OUT, wire.Rollout)
    def grow_rollout(path: PlacementPath, body: wire.GrowIn) -> wire.Rollout:
        """Let more devices get it. A share only grows; at 100 % what was live before is superseded."""
        return rollouts.grow(services, current_actor(), path.title, path.channel, [path.placement], body.share)[0]

    @api.call("PUT", PLACEMENT + "/plan", Act.ROLL_OUT, wire.Rollout)
    def plan_rollout(path: PlacementPath, body: wire.PlanIn) -> wire.Rollout:
        """Say how it grows by itself from now on."""
        return rollouts.plan(services, current_actor(), path.title, path.channel, [path.placement], body.plan)[0]

    @api.call("POST", PLACEMENT + "/hold", Act.ROLL_OUT, wire.Rollout)
    def hold_rollout(path: PlacementPath, body: wire.HoldIn) -> wire.Rollout:
        """Stop it where it is: who has it keeps it, and nobody else gets it."""
        return rollouts.hold(services, current_actor(), path.title, path.channel, [path.placement], body.why)[0]

    @api.call("POST", PLACEMENT + "/go-on", Act.ROLL_OUT, wire.Rollout)
    def go_on_with_rollout(path: PlacementPath) -> wire.Rollout:
        """Let a held one go on."""
        return rollouts.go_on(services, current_actor(), path.title, path.channel, [path.placement])[0]

    @api.call("POST", PLACEMENT + "/withdraw", Act.WITHDRAW, wire.Rollout)
    def withdraw_placement(path: PlacementPath) -> wire.Rollout:
        """Take a live placement off its channel."""
        return rollouts.withdraw(services, current_actor(), path.title, path.channel, [path.placement])[0]

    @api.call("POST", CHANNEL + "/roll-back/preview", Act.READ, wire.RollBackPreview)
    def preview_roll_back(path: ChannelPath, body: wire.RollBackIn) -> tuple[wire.RollBackPreview, str]:
        """What going back to an earlier build would do. Changes nothing."""
        seen = roll_back.preview(services, current_actor(), path.title, path.channel, body.build)
        return seen, seen.etag

    @api.call("POST", CHANNEL + "/roll-back", Act.ROLL_OUT, wire.Rollout, status=201)
    def roll_back_channel(path: ChannelPath, body: wire.RollBackIn, header: ChangeHeaders) -> wire.Rollout:
        """Go back to a build that was placed there before, on every device. If-Match: the ETag of the preview."""
        expected = expected_version(header.if_match, needed=True)
        return roll_back.roll_back(services, current_actor(), path.title, path.channel, [body.build], expected)[0]

    @api.call("GET", "/offers/<string:identifier>/<string:channel>/<string:platform>", Act.OPEN, OFFER_TYPE)
    def get_public_offer(path: PublicOfferPath) -> Response:
        """The signed offer of a channel for everybody, the same for every device that asks."""
        signed = offers.get_public_offer(services, path.identifier, path.channel, path.platform)
        response = Response(signed, content_type=OFFER_TYPE)
        response.headers["Cache-Control"] = f"public, max-age={KEPT_SECONDS}"
        response.set_etag(hashlib.sha256(signed).hexdigest()[:32])
        response.make_conditional(request)
        return response

    return api
