"""A store of each kind: whatever installs, installs from all of them."""

from __future__ import annotations

import pytest

from tests.core.install.test_install import KINDS, Shop


@pytest.fixture(params=KINDS)
def shop(request: pytest.FixtureRequest) -> Shop:
    return Shop(request.param)
