"""What every adapter of a storefront must do; run over each. And the suite itself: it finds an adapter that does otherwise."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from pathlib import Path

import pytest

from rampa.core.bundle.sources import BytesSource
from rampa.schema import storefronts as wire
from rampa.storefronts.conformance import CHECKS, Trial, run
from rampa.storefronts.folder_storefront import FolderStorefront
from rampa.storefronts.memory import MemoryStorefront
from rampa.storefronts.port import Sending, StorefrontPort
from tests.refusals import refuses
from tests.storefronts.conftest import Opens


@pytest.fixture(params=["memory", "folder", "northquay", "mossgate"])
def storefront(request: pytest.FixtureRequest, tmp_path: Path, opens: Opens) -> StorefrontPort:
    if request.param == "memory":
        return MemoryStorefront()
    if request.param == "folder":
        return FolderStorefront(tmp_path / "out", "Moorside", ["linux"], lambda: dt.datetime.now(dt.UTC))
    made: StorefrontPort = opens(request.param).adapter()
    return made


@pytest.mark.parametrize("check", CHECKS, ids=lambda check: check.__name__)
def test_an_adapter(check: Callable[[Trial], None], storefront: StorefrontPort) -> None:
    check(Trial(storefront))


def test_each_no_has_its_code(storefront: StorefrontPort) -> None:
    trial = Trial(storefront)
    storefront.register(trial.identifier, "Peatlight")
    asked, _ = trial.next()
    with refuses("storefront.upload"):
        storefront.submit(asked, "key-nothing-sent")
    storefront.submit(trial.sent(), "key-the-first")
    with refuses("storefront.code", "not above|was handed over before"):
        storefront.submit(trial.sent(version_code=2), "key-the-second")
    with refuses("storefront.damaged"):
        storefront.send_bundle(BytesSource(b"fog" * 9000), "0" * 64, Sending())


class TakesEverything(MemoryStorefront):
    """Takes each call anew, whatever its key, and never says no."""

    def submit(self, asked: wire.SubmissionIn, key: str) -> wire.SubmissionAt:
        self._keys.clear()
        return super().submit(asked.model_copy(update={"version_code": len(self._held) + 1}), key)


def test_the_suite_says_what_an_adapter_does_wrong() -> None:
    said: list[str] = []
    assert run(MemoryStorefront(), said.append) == 0
    assert said[-1] == f"{len(CHECKS)} of {len(CHECKS)} hold"
    said.clear()
    assert run(TakesEverything(), said.append) == 2
    assert "✗ a key is one submission: the same key was taken twice" in said
    assert "✗ codes rise: it should have raised Refused" in said
