"""Notices of storefronts: signed as Standard Webhooks 1.0 says, with the key that the account was given. They say that something
changed, not what: the storefront is asked."""

from __future__ import annotations

import json
from collections.abc import Mapping

from rampa.core.errors import Denied, Invalid, RampaError
from rampa.db import find_storefront
from rampa.operations.base import Services, begin
from rampa.operations.storefronts import connection
from rampa.operations.submissions.following import hurry

MOST = 4096
"""Bytes of one."""


def take(services: Services, storefront: str, body: bytes, headers: Mapping[str, str]) -> None:
    """Raises `Denied` for whatever is not signed by that storefront, whether there is such an account or not."""
    if len(body) > MOST:
        raise Invalid("notice.large", f"a notice has at most {MOST:,} bytes")
    if not _is_signed(_key(services, storefront), body, headers):
        raise Denied("notice.signature", "this notice is not signed with the account's key, or is old")
    try:
        said = json.loads(body)
        there_id = str(said["submission"])[:40]
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise Invalid("notice.form", "the notice names no submission") from error
    hurry(services, storefront, there_id)


def _key(services: Services, storefront: str) -> str:
    try:
        with begin(services) as uow:
            row = find_storefront(uow.session, storefront)
            return connection.secrets_of(uow, row).notices
    except RampaError:
        return ""


def _is_signed(key: str, body: bytes, headers: Mapping[str, str]) -> bool:
    from standardwebhooks import Webhook, WebhookVerificationError

    if not key:
        return False
    try:
        Webhook(key).verify(body, {name.lower(): value for name, value in headers.items()})
    except (WebhookVerificationError, ValueError):
        return False
    return True
