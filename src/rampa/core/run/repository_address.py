"""Addresses of repositories, as people and repositories write them: a URL, scp's short form for SSH, or a folder of this machine.

Where readers of addresses differ (backslashes, signs in a name, what stands before a host), it is none: what one program checks
must be where another goes.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from rampa.core.errors import Invalid

URL = re.compile(
    r"(?P<scheme>https?|ssh|git)://(?:(?P<user>[A-Za-z0-9._~-]+)@)?(?P<host>[A-Za-z0-9.-]+|\[[0-9A-Fa-f:.]+\])"
    r"(?::(?P<port>\d{1,5}))?(?P<path>/[^\s\0\\]*)?"
)
"""Of RFC 3986 what repositories need."""
SHORT = re.compile(r"(?:(?P<user>[\w.-]+)@)?(?P<host>[A-Za-z0-9.-]+):(?P<path>(?!/?/|:)[^\s\0]+)")
"""SSH as in scp(1): user@host:path. With a second colon git would take it for a program that brings it."""
PORTS = {"https": 443, "http": 80, "ssh": 22, "git": 9418}


@dataclass(frozen=True)
class Host:
    """`name` in small letters; an IPv6 address in brackets."""

    scheme: str
    name: str
    port: int

    def with_name(self, address: str, name: str) -> str:
        """The same address at another name of its host."""
        start = address.index("://") + 3
        at = address.lower().index(self.name, start)
        return address[:at] + name + address[at + len(self.name) :]


def host_of(address: str) -> Host | None:
    """None for a path of this machine, and for what is no address."""
    url = URL.fullmatch(address)
    if url:
        port = int(url["port"]) if url["port"] else PORTS[url["scheme"]]
        return Host(url["scheme"], url["host"].lower(), port)
    short = SHORT.fullmatch(address)
    return Host("ssh", short["host"].lower(), PORTS["ssh"]) if short else None


def repository_address(address: str) -> Host | None:
    """Where a repository's address leads; None: a folder of this machine. Raises `Invalid`, also for one that holds a secret."""
    host = host_of(address)
    if host is None:
        if address.startswith("/"):
            return None
        raise _refused(f"it is no address: {', '.join(PORTS)} ones are taken, SSH's short form, and absolute folders")
    url = URL.fullmatch(address)
    if url and host.scheme in ("http", "https"):
        # Whatever stands there is shown to every role, in lists, events and logs; many put a token into it.
        if url["user"]:
            raise _refused("it names a user or holds a token, which would stand in lists and logs; give them apart")
        if set(url["path"] or "") & set("?#"):
            raise _refused("it has a query, which may hold a token; a repository's address needs none")
    return host


def _refused(why: str) -> Invalid:
    return Invalid("source.address", f"this address cannot be used: {why}", where="address")
