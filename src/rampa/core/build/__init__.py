"""Builds: their life, what they remember, which may go."""
