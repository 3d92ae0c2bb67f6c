"""Chunks, packed: groups, levels, filters, encryption."""
