"""Placements and the way that builds climb."""
