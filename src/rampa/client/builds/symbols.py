"""Fetching the symbols that are kept with a build."""

from __future__ import annotations

from pathlib import Path

from rampa.client.calls import API
from rampa.client.client import Client
from rampa.client.content.trees import bring_tree


def bring_symbols(client: Client, title: str, number: int, target: Path) -> int:
    """Fills `target`; returns the count of files. Every chunk is checked."""
    return bring_tree(client, f"{API}/titles/{title}/builds/{number}/symbols", target)
