"""Webhooks: where a title's events are sent."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.schema import notices as wire
from rampa.schema.common import Page


class WebhooksCalls(Calls):
    """`client.webhooks`."""

    def all(self, title: str) -> list[wire.Webhook]:
        return self.connection.get(wire.Webhooks, f"{API}/titles/{title}/webhooks").items

    def add(self, title: str, webhook: wire.NewWebhook) -> wire.MadeWebhook:
        return self.connection.post(wire.MadeWebhook, f"{API}/titles/{title}/webhooks", webhook)

    def change(self, title: str, name: str, change: wire.WebhookChange) -> wire.Webhook:
        path = f"{API}/titles/{title}/webhooks/{name}"
        return self.connection.send(wire.Webhook, "PATCH", path, json_of(change), JSON)

    def remove(self, title: str, name: str) -> None:
        self.connection.request("DELETE", f"{API}/titles/{title}/webhooks/{name}")

    def deliveries(self, title: str, name: str, **query: object) -> Iterator[wire.Delivery]:
        return self.connection.pages(Page[wire.Delivery], f"{API}/titles/{title}/webhooks/{name}/deliveries", **query)

    def resend(self, title: str, name: str, delivery: str) -> wire.Delivery:
        path = f"{API}/titles/{title}/webhooks/{name}/deliveries/{delivery}/resend"
        return self.connection.post(wire.Delivery, path)
