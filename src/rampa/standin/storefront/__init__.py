"""Simulated storefronts: processes of their own with databases of their own. No player outside this machine is reached."""
