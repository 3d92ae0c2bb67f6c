"""Where a submodule is fetched from, and whether the repository's credential goes with it.

The repository itself says its submodules' addresses (gitmodules(5)), so whoever may push to it does: an address must not lead the
service to files of its own machine, nor a title's password to somebody else's.
"""

from __future__ import annotations

import posixpath
from dataclasses import dataclass

from rampa.core.errors import Invalid
from rampa.core.run.repository_address import SHORT, URL, host_of


@dataclass(frozen=True)
class ModuleAddress:
    """`same`: the same scheme, host and port as the repository's, so its credential may go there."""

    address: str
    same: bool


def module_address(parent: str, said: str) -> ModuleAddress:
    """Raises `Invalid` for an address that is not taken. `parent` is the repository's own, which a person gave."""
    if said.startswith(("./", "../")):
        return ModuleAddress(_relative(parent, said), True)
    origin = host_of(said)
    if origin is None:
        raise _refused(said, "it is neither relative nor https, http, ssh or git")
    return ModuleAddress(said, origin == host_of(parent))


def _relative(parent: str, said: str) -> str:
    url = URL.fullmatch(parent)
    if url:
        path = url["path"] or "/"
        return parent[: len(parent) - len(url["path"] or "")] + "/" + _joined(path, said)
    short = SHORT.fullmatch(parent)
    if short:
        root = "/" if short["path"].startswith("/") else ""
        return parent[: len(parent) - len(short["path"])] + root + _joined(short["path"], said)
    # A folder of the service's machine: what lies beside the repository, and nothing else.
    goal = posixpath.normpath(posixpath.join(parent, said))
    beside = posixpath.dirname(posixpath.normpath(parent))
    if posixpath.dirname(goal) != beside and not goal.startswith(posixpath.normpath(parent) + "/"):
        raise _refused(said, "it leads out of the folder that holds the repository")
    return goal


def _joined(path: str, said: str) -> str:
    """Name by name: one step too many up would make a part of the path the host."""
    parts = [name for name in path.split("/") if name]
    for name in said.split("/"):
        if name == "..":
            if not parts:
                raise _refused(said, "it leads above the repository's host")
            parts.pop()
        elif name not in ("", "."):
            parts.append(name)
    if not parts:
        raise _refused(said, "it names no repository")
    return "/".join(parts)


def _refused(said: str, why: str) -> Invalid:
    return Invalid("source.module", f"a submodule's address is not taken: {why}", where=said[:200])
