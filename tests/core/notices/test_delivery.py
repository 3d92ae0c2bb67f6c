"""A delivery's life, how long it waits between tries, and the event that it carries."""

from __future__ import annotations

import datetime as dt
import json

import pytest
from standardwebhooks import Webhook, WebhookVerificationError

from rampa.core.notices.cloud_event import Happening, encode, signed
from rampa.core.notices.delivery import TRANSITIONS, WAITS, DeliveryEvent, DeliveryState, wait_after
from rampa.core.transitions import advance
from tests.refusals import refuses

EXPECTED = {
    "waiting": {"take": "taken", "fail": "waiting", "give-up": "given-up"},
    "taken": {"resend": "waiting"},
    "given-up": {"resend": "waiting"},
}
SECRET = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"


@pytest.mark.parametrize("state", DeliveryState)
@pytest.mark.parametrize("event", DeliveryEvent)
def test_every_state_with_every_event(state: DeliveryState, event: DeliveryEvent) -> None:
    after = EXPECTED[state].get(event)
    if after is None:
        with refuses("state.conflict"):
            advance(TRANSITIONS, state, event, "it")
    else:
        assert advance(TRANSITIONS, state, event, "it") == after


def test_it_waits_longer_each_time_and_is_given_up_after_a_day() -> None:
    waits = [wait_after(n) for n in range(1, 12)]
    assert waits[-2:] == [None, None]
    assert list(WAITS) == sorted(WAITS)
    assert dt.timedelta(hours=20) < sum(WAITS, dt.timedelta()) < dt.timedelta(hours=48)


def test_a_cloud_event_that_the_standard_s_own_library_takes() -> None:
    # Of this moment: the library refuses what is older than some minutes.
    now = dt.datetime.now(dt.UTC)
    what = ("build.place", "peatlight#14", "peatlight", now, "Iida", "Iida placed it", {"on": "studio"})
    body = encode(Happening("0197", "https://rampa.example", *what))
    said = json.loads(body)
    assert {k: said[k] for k in ("specversion", "id", "source", "type", "subject", "datacontenttype")} == {
        "specversion": "1.0",
        "id": "0197",
        "source": "https://rampa.example/titles/peatlight",
        "type": "example.rampa.build.place",
        "subject": "peatlight#14",
        "datacontenttype": "application/json",
    }
    assert dt.datetime.fromisoformat(said["time"]) == now
    headers = signed(SECRET, "0197", now, body)
    assert Webhook(SECRET).verify(body, headers) == said
    for wrong in (
        (body.replace(b"studio", b"public"), headers),
        (body, headers | {"webhook-id": "0198"}),
        (body, signed(SECRET, "0197", now - dt.timedelta(hours=1), body)),
        (body, signed("whsec_" + "A" * 32, "0197", now, body)),
    ):
        with pytest.raises(WebhookVerificationError):
            Webhook(SECRET).verify(*wrong)
