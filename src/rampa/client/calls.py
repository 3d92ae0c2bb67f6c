"""What the calls of every noun share: the connection, and how bodies are sent."""

from __future__ import annotations

from pydantic import BaseModel

from rampa.client.connection import Connection

API = "/api/v1"
JSON = {"Content-Type": "application/json"}


class Calls:
    """The calls of one noun; an attribute of `rampa.client.Client`."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection

    def _fetch(self, path: str) -> bytes:
        """Plain bytes of an address."""
        return self.connection.request("GET", path).content


def json_of(body: BaseModel) -> bytes:
    return body.model_dump_json().encode()
