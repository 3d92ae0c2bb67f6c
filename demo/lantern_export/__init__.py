"""A stand-in for a game engine's export tool, for Rampa's demo and tests. It is honest about it: see `lantern_export.py`."""
