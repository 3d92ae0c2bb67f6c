"""What an update does with a loose file that the player changed. Manifests count on the order."""

from __future__ import annotations

LOOSE = ("keep", "replace", "aside")
"""Keeps it, replaces it, sets it aside and replaces it."""
