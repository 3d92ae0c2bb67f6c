"""The client library."""

from rampa.client.client import Client

__all__ = ["Client"]
