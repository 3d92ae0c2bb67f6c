"""The demo's accounts at storefronts: connected by the owner's way through the consent page."""

from __future__ import annotations

import pytest
from demo.storefronts import connect_all

from rampa.client import Client
from rampa.core.submission.account import AccountState
from tests.service.test_storefronts import opens, quay
from tests.shops import Quay

__all__ = ["opens", "quay"]


def test_each_is_let_in_and_one_that_is_not_there_stops_nobody(
    client: Client, quay: tuple[Quay, str], monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr("demo.storefronts.PATIENCE", 0.0)
    connect_all(client, f"mossgate=http://127.0.0.1:9,northquay={quay[1]}")
    (found,) = client.storefronts.all()
    assert (found.name, found.state, found.missing) == ("northquay", AccountState.CONNECTED, [])
    said = capsys.readouterr().out
    assert ("mossgate: not connected" in said, "northquay: the studio's account is connected" in said) == (True, True)
