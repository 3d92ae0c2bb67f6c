"""Signing identities: kept, unlocked, backed up, handed over, granted, used."""
