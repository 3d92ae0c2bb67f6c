"""Lock files: every package stands there with a digest, so that nothing else is ever installed under its name."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
PINNED = re.compile(r"^[a-z0-9][a-z0-9._-]*(\[[a-z0-9,._-]+\])?==\S+", re.IGNORECASE)
SHA256 = re.compile(r"--hash=sha256:[0-9a-f]{64}\b")


@pytest.mark.parametrize("name", ["requirements.lock", "requirements-dev.lock"])
def test_every_python_package_has_a_version_and_digests(name: str) -> None:
    blocks = re.split(r"(?m)^(?=[^\s#])", (ROOT / name).read_text())
    packages = [block for block in blocks if block.strip()]
    assert len(packages) > 30
    assert [b.splitlines()[0] for b in packages if not PINNED.match(b) or not SHA256.search(b)] == []
    # From a registry by name, never from an address.
    assert not re.search(r"://| @ |--(index|extra|find|trusted)", "".join(packages))


def test_every_npm_package_has_a_digest() -> None:
    packages = json.loads((ROOT / "console/package-lock.json").read_text())["packages"]
    lacking = [
        path
        for path, entry in packages.items()
        if path and not entry.get("link") and not entry.get("integrity", "").startswith("sha512-")
    ]
    assert len(packages) > 50
    assert lacking == []


@pytest.mark.parametrize("name", ["requirements", "requirements-dev"])
def test_what_is_asked_for_is_locked(name: str) -> None:
    asked = re.findall(r"(?m)^([a-z0-9][a-z0-9-]*)(?:\[[^\]]+\])?(==\S+)?", (ROOT / f"{name}.in").read_text())
    locked = dict(re.findall(r"(?m)^([a-z0-9][a-z0-9._-]*)(?:\[[^\]]+\])?==(\S+)", (ROOT / f"{name}.lock").read_text()))
    assert {p for p, _ in asked} <= locked.keys()
    assert [(p, v) for p, v in asked if v and locked[p] != v.removeprefix("==")] == []
