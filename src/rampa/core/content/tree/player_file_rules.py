"""What an update does with a player file that the player changed. Manifests count on the order."""

from __future__ import annotations

PLAYER_FILE_RULES = ("keep", "replace", "aside")
"""Keeps it, replaces it, sets it aside and replaces it."""
