"""Rampa: profiles, signed bundles, depots and release channels for game and mobile builds."""

__version__ = "0.6.0"
