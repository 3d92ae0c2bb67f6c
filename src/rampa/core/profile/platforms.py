"""Platforms are data: what each allows. Version 1 of the table."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Platform:
    """`code_limit` is the largest version code. `folds_case`: names that differ only by case are one file there."""

    name: str
    title: str
    containers: tuple[str, ...]
    architectures: tuple[str, ...]
    code_limit: int
    folds_case: bool
    reserved_names: frozenset[str] = frozenset()
    reserved_characters: str = ""


_WINDOWS_NAMES = frozenset(
    ["con", "prn", "aux", "nul", *(f"com{i}" for i in range(1, 10)), *(f"lpt{i}" for i in range(1, 10))]
)

PLATFORMS: dict[str, Platform] = {
    p.name: p
    for p in (
        Platform("linux", "Linux", ("zip",), ("x86_64", "arm64"), 2**31 - 1, False),
        Platform("windows", "Windows", ("zip",), ("x86_64", "arm64"), 2**31 - 1, True, _WINDOWS_NAMES, '<>:"|?*'),
        Platform("macos", "macOS", ("zip",), ("x86_64", "arm64"), 2**31 - 1, True),
    )
}
