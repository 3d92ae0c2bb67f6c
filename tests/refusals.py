"""What a test expects of an error: its code, which is stable, besides what it says."""

from __future__ import annotations

import pytest

from rampa.core.errors import RampaError


def refuses(code: str, says: str | None = None, where: str = "") -> pytest.RaisesExc[RampaError]:
    """Expects the error `code`; `says` is searched in its message, `where` is the place that it names."""

    def as_expected(error: RampaError) -> bool:
        assert error.code == code, f"{error.code}: {error}"
        assert where in error.where
        return True

    return pytest.RaisesExc(RampaError, match=says, check=as_expected)
