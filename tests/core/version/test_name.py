"""Version names: SemVer 2.0."""

from __future__ import annotations

import pytest

from rampa.core.version.name import version_name_problem

GOOD = ["0.0.0", "1.4.0", "10.20.30", "1.4.0-rc.2", "1.0.0-alpha.1.x-y", "1.0.0+build.5", "1.0.0-0A.is.legal"]
BAD = [
    "",
    "1",
    "1.4",
    "v1.4.0",
    "01.4.0",
    "1.4.0-",
    "1.4.0-01",
    "1.4.0 ",
    "1.4.0+",
    "1.4.0\n",
    "1.4.0-ä",
    "1." + "9" * 70 + ".0",
]


@pytest.mark.parametrize("name", GOOD)
def test_good_names(name: str) -> None:
    assert version_name_problem(name) == ""


@pytest.mark.parametrize("name", BAD)
def test_bad_names(name: str) -> None:
    assert "SemVer 2.0" in version_name_problem(name)
