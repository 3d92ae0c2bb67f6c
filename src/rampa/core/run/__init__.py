"""Runs: their steps, what they need of an agent, their logs, and why they failed."""
