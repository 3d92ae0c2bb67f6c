"""Where git may go: folders of this machine and hosts of its own networks only as the operator lists them.

A person gives a repository's address, and repositories give those of their submodules: without this, either could have the
service read its own machine, or ask what only it can reach. A host is looked up once, here, and git is told what was found, so
that a name cannot mean another machine a moment later.
"""

from __future__ import annotations

import ipaddress
import os
import socket
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path

from rampa.core.errors import Invalid, Unavailable
from rampa.core.run.git_settings import SETTINGS, settings_environment
from rampa.core.run.repository_address import PORTS, Host, repository_address

Address = ipaddress.IPv4Address | ipaddress.IPv6Address
TRANSLATED = ipaddress.ip_network("64:ff9b::/96")
"""IPv4 behind IPv6 (RFC 6052)."""


@dataclass(frozen=True)
class Way:
    """How git gets to an address: what to call it, settings, and options of ssh."""

    address: str
    settings: dict[str, str] = field(default_factory=dict)
    ssh: tuple[str, ...] = ()


@dataclass(frozen=True)
class Reach:
    """`hosts`: names, addresses and networks (10.0.0.0/8) that may be private. `authority`: a file of certificates (PEM) for
    hosts with TLS. `known_hosts`: where keys of SSH hosts are kept; a host whose key changes is refused."""

    folders: tuple[Path, ...] = ()
    hosts: tuple[str, ...] = ()
    authority: Path | None = None
    known_hosts: Path | None = None
    variable: str = "RAMPA_SOURCE_HOSTS"
    """Where the operator lists the hosts."""

    def look_up(self, host: Host) -> list[Address]:
        """Where the host is now. Raises `Invalid` for an address that is not public and not listed, `Unavailable` for none."""
        found = _looked_up(host)
        self._check_addresses(host, found)
        return found

    def check(self, address: str) -> Host | None:
        """The host, None for a folder of this machine. Raises `Invalid` for what is never reached; asks no name server."""
        host = repository_address(address)
        if host is None:
            self._check_folder(address)
        elif (literal := _literal(host.name)) is not None:
            self._check_addresses(host, [literal])
        return host

    def way(self, address: str) -> Way:
        """Looks the host up. Raises `Invalid`, and `Unavailable` for a name that nobody knows."""
        host = self.check(address)
        if host is None:
            # Where the links lead now: they may lead elsewhere when git comes.
            return Way(os.path.realpath(address))
        found = self.look_up(host)
        first = str(found[0])
        settings = {"http.sslCAInfo": str(self.authority)} if self.authority else {}
        if host.scheme in ("http", "https"):
            every = ",".join(f"[{a}]" if a.version == 6 else str(a) for a in found)
            return Way(address, settings | {"http.curloptResolve": f"{host.name}:{host.port}:{every}"})
        if host.scheme == "ssh":
            # As ssh itself would note it, by the name that was asked for and not by the address.
            alias = host.name if host.port == PORTS["ssh"] else f"[{host.name}]:{host.port}"
            kept = (f"UserKnownHostsFile={self.known_hosts}",) if self.known_hosts else ()
            return Way(address, ssh=(f"HostName={first}", f"HostKeyAlias={alias}", "CheckHostIP=no", *kept))
        return Way(host.with_name(address, f"[{first}]" if ":" in first else first))

    def _check_folder(self, address: str) -> None:
        # Links are followed first: one inside a listed folder must not lead out of it.
        real = os.path.realpath(address)
        if not any(Path(real).is_relative_to(os.path.realpath(folder)) for folder in self.folders):
            listed = ", ".join(str(f) for f in self.folders) or "none"
            raise Invalid(
                "source.folder",
                f"{address[:200]} is not below a folder that repositories may lie in",
                where="address",
                hint=f"The service's operator lists them in RAMPA_SOURCE_FOLDERS; now: {listed}.",
            )

    def _check_addresses(self, host: Host, found: Iterable[Address]) -> None:
        if host.name in self.hosts:
            return
        networks = [n for n in map(_network, self.hosts) if n is not None]
        for address in found:
            if not _public(address) and not any(address in network for network in networks):
                raise Invalid(
                    "source.private",
                    f"{host.name} is at {address}, which is no public address",
                    where="address",
                    hint=f"The service's operator lists such hosts in {self.variable}.",
                )


def hosts_for(variable: str) -> Reach:
    """What is sent to: hosts of private networks as this variable lists them, with commas between. Raises `Invalid`."""
    said = os.environ.get(variable, "")
    return Reach(hosts=_hosts(said, variable), variable=variable)


def listed(folders: str, hosts: str, authority: str = "", known_hosts: Path | None = None) -> Reach:
    """Folders apart by colons, hosts by commas. Raises `Invalid` for what is neither an absolute folder nor a host."""
    places = [Path(f) for f in folders.split(":") if f]
    for place in places:
        if not place.is_absolute():
            raise Invalid("settings.folder", f"{place} is no absolute folder", where="RAMPA_SOURCE_FOLDERS")
    names = _hosts(hosts, "RAMPA_SOURCE_HOSTS")
    return Reach(tuple(places), names, Path(authority) if authority else None, known_hosts)


def _hosts(said: str, variable: str) -> tuple[str, ...]:
    names = tuple(h.strip().lower() for h in said.split(",") if h.strip())
    for name in names:
        if ("/" in name or ":" in name) and _network(name) is None:
            raise Invalid("settings.host", f"{name!r} is no host, address or network", where=variable)
    return names


def way_environment(way: Way) -> dict[str, str]:
    return settings_environment(SETTINGS | way.settings)


def _literal(name: str) -> Address | None:
    try:
        return ipaddress.ip_address(name.strip("[]"))
    except ValueError:
        return None


def _network(said: str) -> ipaddress.IPv4Network | ipaddress.IPv6Network | None:
    try:
        return ipaddress.ip_network(said, strict=False)
    except ValueError:
        return None


def _looked_up(host: Host) -> list[Address]:
    try:
        found = socket.getaddrinfo(host.name.strip("[]"), host.port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError) as error:
        hint = "Look at the address, and at the name server of the service's machine."
        raise Unavailable("source.host", f"no address is known for {host.name}", hint=hint) from error
    texts = dict.fromkeys(str(where[0]).partition("%")[0] for *_, where in found)
    return [ipaddress.ip_address(text) for text in texts]


def _public(address: Address) -> bool:
    """Also where an IPv4 address stands in an IPv6 one: mapped, translated, or tunnelled."""
    if isinstance(address, ipaddress.IPv6Address):
        inside = [address.ipv4_mapped, address.sixtofour, *(address.teredo or ())]
        if address in TRANSLATED:
            inside.append(ipaddress.IPv4Address(int(address) & 0xFFFFFFFF))
        found = [a for a in inside if a is not None]
        if found:
            return all(_public(a) for a in found)
    return address.is_global and not address.is_multicast
