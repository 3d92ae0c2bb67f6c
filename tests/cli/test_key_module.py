"""A key of the key module by command line."""

from __future__ import annotations

from pathlib import Path

import pytest
from cryptography.hazmat.primitives.serialization import Encoding

from tests.cli.conftest import Said
from tests.conftest import World
from tests.key_modules import new_slot, there
from tests.refusals import refuses

pytestmark = pytest.mark.skipif(not there(), reason="SoftHSM is not installed")


def test_it_is_connected_shown_and_listed(said: Said, world: World, tmp_path: Path) -> None:
    slot = new_slot()
    object.__setattr__(world.services, "key_module", slot.module)
    certificate = slot.make("release", bare=True)
    with refuses("key-module.no-certificate", "no certificate 'release'"):
        said("key", "connect", "quillback-2026", "--label", "release")
    (tmp_path / "release.pem").write_bytes(certificate.public_bytes(Encoding.PEM))
    file = str(tmp_path / "release.pem")
    told = said("key", "connect", "quillback-2026", "--label", "release", "--certificate", file)
    for part in ("EC P-256, connected", "in the key module", "it is called release there"):
        assert part in told
    assert "by the key module" in said("key", "list")
