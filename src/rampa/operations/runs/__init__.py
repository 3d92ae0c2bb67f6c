"""Runs: planned, started, given to agents, worked on, watched."""
