"""Accounts at storefronts by command line."""

from __future__ import annotations

import json

from rampa.client import Client
from tests.cli.conftest import Said
from tests.refusals import refuses
from tests.service.test_storefronts import lets_in, opens, quay
from tests.shops import Quay

__all__ = ["opens", "quay"]


def test_from_connecting_to_taking_away(client: Client, said: Said, quay: tuple[Quay, str]) -> None:
    assert "No account yet" in said("storefront", "list")
    told = said("storefront", "connect", "northquay", "--address", quay[1])
    assert "let it in at Northquay" in told
    opened = next(line for line in told.splitlines() if line.startswith("http"))
    assert "connecting" in said("storefront", "list")
    client.storefronts.come_back(lets_in(opened))
    assert "✓ connected" in said("storefront", "list")
    shown = said("storefront", "show", "northquay")
    assert ("Northquay (simulated)" in shown, "share, hold, roll back" in shown) == (True, True)
    assert json.loads(said("storefront", "look", "northquay", "--json"))["studio"] == "Quillback Works"
    quay[0].trouble("revoke")
    assert "the storefront revoked this access" in said("storefront", "look", "northquay", code=6)
    assert "/oauth/authorize" in said("storefront", "connect", "northquay")
    assert "Not done: confirm with --yes." in said("storefront", "disconnect", "northquay", code=1)
    assert "is gone" in said("storefront", "disconnect", "northquay", "--yes")
    with refuses("storefront.unknown"):
        said("storefront", "show", "northquay")
    assert "Moorside is connected" in said("storefront", "connect", "moorside", "--by-hand", "Moorside")
