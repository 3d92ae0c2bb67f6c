"""What a webhook is sent: an audit event as a CloudEvent (CloudEvents 1.0.2, JSON event format, structured mode), signed as the
Standard Webhooks specification 1.0 says: `webhook-id`, `webhook-timestamp` and `webhook-signature`, HMAC-SHA256 over all three.
"""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

CONTENT_TYPE = "application/cloudevents+json; charset=utf-8"
TYPE_PREFIX = "example.rampa."
"""Reverse-DNS, as the specification asks for; behind it stands the act."""


@dataclass(frozen=True)
class Happening:
    """`source` is the service's address; `title` empty for what belongs to none. `sentence`: for people, with who did it."""

    id: str
    source: str
    act: str
    subject: str
    title: str
    at: dt.datetime
    who: str
    sentence: str
    detail: Mapping[str, Any]


def encode(event: Happening) -> bytes:
    """The same bytes each time: a delivery that is sent again is the same."""
    source = f"{event.source}/titles/{event.title}" if event.title else event.source or "urn:rampa"
    body = {
        "specversion": "1.0",
        "id": event.id,
        "source": source,
        "type": TYPE_PREFIX + event.act,
        "subject": event.subject,
        "time": event.at.astimezone(dt.UTC).isoformat().replace("+00:00", "Z"),
        "datacontenttype": "application/json",
        "data": {"who": event.who, "sentence": event.sentence, "title": event.title, "detail": dict(event.detail)},
    }
    return json.dumps(body, ensure_ascii=False, separators=(",", ":"), default=str).encode()


def signed(secret: str, event_id: str, at: dt.datetime, body: bytes) -> dict[str, str]:
    """The headers. `secret` as it was shown; `at` the moment of this try, so that an old request cannot be sent again."""
    from standardwebhooks import Webhook

    signature = Webhook(secret).sign(msg_id=event_id, timestamp=at, data=body.decode())
    return {
        "webhook-id": event_id,
        "webhook-timestamp": str(int(at.timestamp())),
        "webhook-signature": signature,
        "content-type": CONTENT_TYPE,
    }
