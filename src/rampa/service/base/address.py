"""Where a call comes from: the other end of the connection, or what a proxy that the operator named says of it."""

from __future__ import annotations

import ipaddress

from flask import current_app, request

PROXIES = "rampa_proxies"


def client_address() -> str:
    """An IPv4 address, or the /64 of an IPv6 one: whoever has one address there has all of them."""
    direct = request.remote_addr or ""
    proxies: frozenset[str] = current_app.extensions[PROXIES]
    if direct not in proxies:
        return _counted(direct)
    # From the right: each proxy puts its own neighbour there, and what stands further left anybody may have written.
    for said in reversed(request.headers.get("X-Forwarded-For", "").split(",")):
        address = _counted(said.strip())
        if address and said.strip() not in proxies:
            return address
    return _counted(direct)


def _counted(text: str) -> str:
    """Empty for what is no address."""
    try:
        address = ipaddress.ip_address(text)
    except ValueError:
        return ""
    if isinstance(address, ipaddress.IPv6Address):
        mapped = address.ipv4_mapped
        return str(mapped) if mapped else str(ipaddress.ip_network((address, 64), strict=False))
    return str(address)
