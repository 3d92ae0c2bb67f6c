"""Webhooks by command line."""

from __future__ import annotations

from rampa.client import Client
from rampa.operations.notices import sending
from rampa.store.outbound import Answer
from tests.cli.conftest import Said
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import import_title


def test_added_looked_at_changed_and_removed(said: Said, world: World, client: Client) -> None:
    import_title(client)
    assert "No webhook yet" in said("webhook", "list")
    assert "whsec_" in said("webhook", "add", "chat", "https://chat.example/x", "--act", "webhook.")
    assert "1 waiting" in said("webhook", "list")
    sending.send_due(world.services, lambda *_: Answer(503, "busy", 30))
    assert "503 busy" in " ".join(said("webhook", "deliveries", "chat").split())
    assert "https://chat.example/y" in said("webhook", "change", "chat", "--address", "https://chat.example/y")
    assert "paused" in said("webhook", "pause", "chat")
    assert "in order" not in said("webhook", "resume", "chat")
    (one, *_) = client.webhooks.deliveries("peatlight", "chat", state="waiting")
    with refuses("state.conflict"):
        said("webhook", "resend", "chat", one.id)
    assert "would not be sent" in said("webhook", "remove", "chat", code=1)
    assert "chat is removed" in said("webhook", "remove", "chat", "--yes")
