"""Simulated storefronts in a test's process: a database of their own, a clock in the test's hand, a program that was let in."""

from __future__ import annotations

import base64
import datetime as dt
import hashlib
import re
import secrets
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, urlsplit

import httpx
from sqlalchemy import create_engine

from rampa.core.submission.life import SubmissionState
from rampa.schema import storefronts as wire
from rampa.standin.storefront.app import make_storefront
from rampa.standin.storefront.character import CHARACTERS, Character
from rampa.standin.storefront.desk import decide
from rampa.standin.storefront.machines import tick
from rampa.standin.storefront.operator import trouble
from rampa.standin.storefront.shop import Shop
from rampa.storefronts.conformance import Trial
from rampa.storefronts.http_storefront import HttpStorefront

BACK = "http://rampa.test/storefronts/return"
AT = "http://storefront.test"
OPERATOR = "an-operator-of-tests"
LONG_AGO = dt.datetime(2020, 1, 1, tzinfo=dt.UTC)


@dataclass
class Quay:
    """A storefront with its clock; `waits` are what the adapter waited for."""

    shop: Shop
    now: dt.datetime
    waits: list[int] = field(default_factory=list)
    app: Any = None
    token: str = ""
    token_at: dt.datetime = LONG_AGO

    def http(self) -> httpx.Client:
        transport = httpx.WSGITransport(app=self.app, raise_app_exceptions=False)
        return httpx.Client(base_url=AT, transport=transport)

    def adapter(self, token: str = "") -> HttpStorefront:
        return HttpStorefront(self.http(), lambda: token or self.fresh(), self.waits.append)

    def fresh(self) -> str:
        """An access token that is not over: a program renews its own, here another is let in."""
        if self.now - self.token_at > dt.timedelta(minutes=25):
            self.token, self.token_at = let_in(self)[1]["access_token"], self.now
        return self.token

    def trial(self) -> Trial:
        """A title that is known there."""
        made = Trial(self.adapter())
        made.storefront.register(made.identifier, "Peatlight")
        return made

    def pass_(self, seconds: float) -> None:
        """Time goes by, and the storefront does what is due; a day is many steps."""
        self.now += dt.timedelta(seconds=seconds)
        tick(self.shop)

    def until(self, adapter: HttpStorefront, submission: str, state: SubmissionState) -> wire.SubmissionAt:
        for _ in range(60):
            seen = adapter.submission(submission)
            if seen.state is state:
                return seen
            self.pass_(5)
        raise AssertionError(f"never {state}: {adapter.submission(submission)}")

    def review(
        self, submission: str, act: str, text: str = "", about: str = "", reason: str = "permission", by: str = "Rauni"
    ) -> None:
        decide(self.shop, submission, act, by, text, about, reason)

    def trouble(self, what: str, value: str = "1") -> None:
        trouble(self.shop, what, value)


def open_quay(name: str, url: str, folder: Path, change: Callable[[Character], Character] = lambda c: c) -> Quay:
    made = Quay.__new__(Quay)
    shop = Shop(
        change(CHARACTERS[name]), create_engine(url), folder, "Quillback Works", lambda: made.now, operator=OPERATOR
    )
    made.__init__(shop, dt.datetime(2026, 11, 29, 12, tzinfo=dt.UTC))  # type: ignore[misc]
    made.app = make_storefront(shop, lambda: made.http())
    return made


def let_in(
    quay: Quay, scopes: tuple[str, ...] = wire.SCOPES, granted: tuple[str, ...] | None = None
) -> tuple[httpx.Auth, dict[str, Any]]:
    """(the program's own secret, its tokens): registration, consent in a browser, the code for tokens."""
    with quay.http() as http:
        made = http.post("/oauth/register", json={"client_name": "Rampa", "redirect_uris": [BACK]}).json()
        verifier = secrets.token_urlsafe(40)
        challenge = base64.urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).rstrip(b"=").decode()
        asked = {
            "client_id": made["client_id"], "redirect_uri": BACK, "response_type": "code", "scope": " ".join(scopes),
            "state": "s-1", "code_challenge": challenge, "code_challenge_method": "S256",
        }  # fmt: skip
        page = http.get("/oauth/authorize", params=asked).text
        mark = re.search(r'name="mark" value="([^"]+)"', page)
        assert mark, page
        form = {**asked, "mark": mark[1], "answer": "yes", "scope": list(granted if granted is not None else scopes)}
        answer = http.post("/oauth/authorize", data=form)
        back = parse_qs(urlsplit(answer.headers["location"]).query)
        assert back["state"] == ["s-1"]
        auth = httpx.BasicAuth(made["client_id"], made["client_secret"])
        said = {
            "grant_type": "authorization_code",
            "code": back["code"][0],
            "redirect_uri": BACK,
            "code_verifier": verifier,
        }
        return auth, http.post("/oauth/token", data=said, auth=auth).json()
