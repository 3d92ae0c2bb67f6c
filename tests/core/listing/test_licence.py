"""Licences: SPDX expressions, which of them are open, what is none."""

from __future__ import annotations

import pytest

from rampa.core.listing.licence import read_licence
from tests.refusals import refuses


@pytest.mark.parametrize(
    ("text", "expression", "is_open"),
    [
        ("mit", "MIT", True),
        ("MIT or apache-2.0", "MIT OR Apache-2.0", True),
        ("LicenseRef-Quillback", "LicenseRef-Quillback", False),
        ("LicenseRef-Quillback OR MIT", "LicenseRef-Quillback OR MIT", True),
        ("LicenseRef-Quillback AND MIT", "LicenseRef-Quillback AND MIT", False),
        ("(LicenseRef-Quillback OR MIT) AND LicenseRef-Art", "(LicenseRef-Quillback OR MIT) AND LicenseRef-Art", False),
        ("MIT OR LicenseRef-Art AND LicenseRef-Bog", "MIT OR LicenseRef-Art AND LicenseRef-Bog", True),
        (
            "GPL-3.0-or-later WITH GCC-exception-3.1 AND MIT",
            "GPL-3.0-or-later WITH GCC-exception-3.1 AND MIT",
            True,
        ),
        ("CC-BY-NC-4.0", "CC-BY-NC-4.0", False),
    ],
)
def test_expressions(text: str, expression: str, is_open: bool) -> None:
    read = read_licence(text)
    assert (read.expression, read.open) == (expression, is_open)


@pytest.mark.parametrize("text", ["", "Free", "MIT AND", "(MIT", "MIT MIT", "MIT WITH nothing", "x" * 300, "(" * 190])
def test_what_is_no_licence_says_so(text: str) -> None:
    with refuses("listing.licence"):
        read_licence(text)
