"""The client library. `from rampa.client import Client`; documents on disk need no service: `rampa.client.profiles.documents`."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from rampa.client.client import Client

__all__ = ["Client"]


def __getattr__(name: str) -> Any:
    """`Client` is loaded when it is asked for: what needs no service starts without an HTTP library (PEP 562)."""
    if name == "Client":
        from rampa.client.client import Client

        return Client
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
