"""Notices to the studio, signed (Standard Webhooks 1.0): which submission changed, not how. Tried again for a day."""

from __future__ import annotations

import base64
import datetime as dt
import json
import secrets

import httpx
from sqlalchemy import select

from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import StoreNoticeRow

WAITS = (2, 10, 60, 600, 3600, 6 * 3600, 12 * 3600)
SILENCE = 5.0


def set_address(shop: Shop, address: str) -> str:
    """The key that signs them: `whsec_` and base64, as the standard writes it."""
    secret = "whsec_" + base64.b64encode(secrets.token_bytes(24)).decode()
    with shop.begin() as session:
        shop.set(session, "notices", {"address": address, "secret": secret})
    return secret


def send_due(shop: Shop) -> int:
    """Answers how many were taken."""
    from standardwebhooks import Webhook

    with shop.begin() as session:
        where = shop.get(session, "notices")
        rows = (
            select(StoreNoticeRow).where(StoreNoticeRow.next_at <= shop.now()).order_by(StoreNoticeRow.number).limit(50)
        )
        due = [(row.number, row.submission, row.made_at, row.tries) for row in session.scalars(rows)]
    taken = 0
    for number, submission, made_at, tries in due if where else []:
        body = json.dumps({"submission": submission, "storefront": shop.character.name}).encode()
        name = f"{shop.character.name}-{number}"
        moment = made_at.astimezone(dt.UTC)
        signature = Webhook(where["secret"]).sign(name, moment, body.decode())
        headers = {
            "content-type": "application/json",
            "webhook-id": name,
            "webhook-timestamp": str(int(moment.timestamp())),
            "webhook-signature": signature,
        }
        good = _post(where["address"], body, headers)
        taken += good
        with shop.begin() as session:
            row = session.get(StoreNoticeRow, number)
            if row is not None and (good or tries >= len(WAITS)):
                session.delete(row)
            elif row is not None:
                row.tries, row.next_at = tries + 1, shop.now() + dt.timedelta(seconds=WAITS[tries])
    return taken


def _post(address: str, body: bytes, headers: dict[str, str]) -> bool:
    try:
        with httpx.Client(timeout=SILENCE, trust_env=False, follow_redirects=False) as http:
            return http.post(address, content=body, headers=headers).is_success
    except (httpx.HTTPError, ValueError):
        return False
