"""A second factor for tests: RFC 6238's own secret, and codes of it at any moment."""

from __future__ import annotations

import datetime as dt

import pyotp
import pytest

SECRET = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"
"""ASCII 12345678901234567890, as in the RFC's appendix B."""


def known_secret(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pyotp, "random_base32", lambda: SECRET)


def code_at(moment: dt.datetime | None = None, steps: int = 0) -> str:
    """What an app shows then, or so many steps of 30 seconds later."""
    return pyotp.TOTP(SECRET).at((moment or dt.datetime.now(dt.UTC)) + dt.timedelta(seconds=30 * steps))
