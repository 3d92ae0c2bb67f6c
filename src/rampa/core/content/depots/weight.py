"""What a depot costs an empty device, and why that can be more than what it holds."""

from __future__ import annotations

SLACK = 1.02
"""Compressed content grows by a few bytes a frame when it is packed again; more than that comes from shared frames."""
HEADERS = 4096


def why_larger(size: int, download: int) -> str:
    """Why `download` bytes bring `size` bytes of files, as a clause; empty where packing makes them smaller."""
    if download <= size:
        return ""
    if download <= size * SLACK + HEADERS:
        return "its content is compressed already, and does not get smaller"
    return "its files lie in frames with other content, and a frame travels whole"
