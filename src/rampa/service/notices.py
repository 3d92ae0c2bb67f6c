"""Webhooks of a title, a channel's feed, and what people are told of by letter."""

from __future__ import annotations

from flask import Response, request

from rampa.operations.base import Act, Services
from rampa.operations.notices import choices, feeds, webhooks
from rampa.schema import letters as letters_wire
from rampa.schema import notices as wire
from rampa.schema.channels import FeedPath
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

WEBHOOKS = "/titles/<string:title>/webhooks"
WEBHOOK = WEBHOOKS + "/<string:webhook>"
ATOM = "application/atom+xml"


def resource(services: Services) -> Resource:
    api = Resource("notices")

    @api.call("GET", WEBHOOKS, Act.MANAGE_WEBHOOKS, wire.Webhooks)
    def list_webhooks(path: TitlePath) -> wire.Webhooks:
        """Where a title's events are sent, and how that goes."""
        return webhooks.list_webhooks(services, path.title)

    @api.call("POST", WEBHOOKS, Act.MANAGE_WEBHOOKS, wire.MadeWebhook, status=201)
    def add_webhook(path: TitlePath, body: wire.NewWebhook) -> wire.MadeWebhook:
        """Send events to an address, as CloudEvents; the secret that signs them is answered this once."""
        return webhooks.add_webhook(services, current_actor(), path.title, body)

    @api.call("PATCH", WEBHOOK, Act.MANAGE_WEBHOOKS, wire.Webhook)
    def change_webhook(path: wire.WebhookPath, body: wire.WebhookChange) -> wire.Webhook:
        """Change its address or events, pause it, or let it go on."""
        return webhooks.change_webhook(services, current_actor(), path.title, path.webhook, body)

    @api.call("DELETE", WEBHOOK, Act.MANAGE_WEBHOOKS, None)
    def remove_webhook(path: wire.WebhookPath) -> None:
        """Remove it, with what is on its way."""
        webhooks.remove_webhook(services, current_actor(), path.title, path.webhook)

    @api.call("GET", WEBHOOK + "/deliveries", Act.MANAGE_WEBHOOKS, Page[wire.Delivery])
    def list_deliveries(path: wire.WebhookPath, query: wire.DeliveryQuery) -> Page[wire.Delivery]:
        """Events on their way and those that went, newest first, with what the target answered."""
        return webhooks.list_deliveries(services, current_actor(), path.title, path.webhook, query)

    @api.call("POST", WEBHOOK + "/deliveries/<string:delivery>/resend", Act.MANAGE_WEBHOOKS, wire.Delivery)
    def resend_delivery(path: wire.DeliveryPath) -> wire.Delivery:
        """Send an event again, as it was, with the same number."""
        return webhooks.resend(services, current_actor(), path.title, path.webhook, path.delivery)

    @api.call("GET", "/account/notices", Act.READ, letters_wire.NoticeChoices)
    def get_notice_choices() -> letters_wire.NoticeChoices:
        """What you are told of by letter, by kind and title."""
        return choices.get_choices(services, current_actor())

    @api.call("PUT", "/account/notices", Act.READ, letters_wire.NoticeChoices)
    def choose_notices(body: letters_wire.NoticeChoiceIn) -> letters_wire.NoticeChoices:
        """Be told of a kind at once, once a day or never; for one title, or for all that have no choice of their own."""
        return choices.choose(services, current_actor(), body)

    @api.call("GET", "/feeds/<string:identifier>/<string:channel>", Act.OPEN, ATOM)
    def get_feed(path: FeedPath) -> Response:
        """What came to a channel for everybody, as a feed (RFC 4287), by the title's identifier."""
        at = services.origin or request.host_url.rstrip("/")
        response = Response(feeds.channel_feed(services, path.identifier, path.channel, at), content_type=ATOM)
        response.headers["Cache-Control"] = "public, max-age=300"
        return response

    return api
