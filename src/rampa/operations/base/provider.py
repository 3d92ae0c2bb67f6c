"""The studio's own sign-in, where there is one: what the operator says of it."""

from __future__ import annotations

import ipaddress
from collections.abc import Mapping
from dataclasses import dataclass, field
from urllib.parse import urlsplit

from rampa.core.errors import Invalid
from rampa.schema.common import Role


@dataclass(frozen=True)
class Provider:
    """An OpenID Connect provider. `roles`: group -> role. Raises `Invalid` for an issuer that could be overheard."""

    issuer: str
    client_id: str
    secret: str = field(repr=False)
    roles: Mapping[str, Role]
    name: str = "the studio's account"
    groups: str = "groups"
    """The claim that lists a person's groups."""

    def __post_init__(self) -> None:
        if not safe_address(self.issuer):
            raise Invalid("provider.issuer", "the issuer is no https address", where="RAMPA_PROVIDER")


def safe_address(address: str) -> bool:
    """https, or this machine itself."""
    parts = urlsplit(address)
    host = parts.hostname or ""
    try:
        here = host == "localhost" or ipaddress.ip_address(host).is_loopback
    except ValueError:
        here = False
    return bool(host) and not parts.username and (parts.scheme == "https" or (parts.scheme == "http" and here))


def read_roles(text: str) -> dict[str, Role]:
    """`GROUP=ROLE`, with commas between them. Raises `Invalid`."""
    found: dict[str, Role] = {}
    for part in filter(None, (each.strip() for each in text.split(","))):
        group, _, role = part.rpartition("=")
        if not group or role not in set(Role) - {Role.AGENT}:
            hint = "Say GROUP=ROLE, with commas between them; roles are owner, engineer, tester, reviewer, viewer."
            raise Invalid("provider.roles", f"{part!r} gives no group a role", where="RAMPA_PROVIDER_ROLES", hint=hint)
        found[group.strip()] = Role(role)
    return found
