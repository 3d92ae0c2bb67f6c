"""A browser's session without a browser: its cookies, its CSRF token, the page's origin."""

from __future__ import annotations

from typing import Any

from flask import Flask
from werkzeug.test import TestResponse

from tests.conftest import World
from tests.passkeys import HERE


class BrowserSession:
    """`call` answers the JSON; a refusal is its code alone."""

    def __init__(self, world: World, origin: str = HERE, app: object = None) -> None:
        at = app or world.app
        assert isinstance(at, Flask)
        self.http, self.origin, self.at, self.csrf = at.test_client(), origin, origin, ""

    def send(self, method: str, path: str, body: object = None) -> TestResponse:
        headers = {"X-CSRF-Token": self.csrf, "Origin": self.origin}
        return self.http.open(f"/api/v1{path}", method=method, json=body, headers=headers, base_url=self.at)

    def call(self, method: str, path: str, body: object = None) -> Any:
        answer = self.send(method, path, body)
        if answer.status_code == 204:
            return None
        read = answer.get_json()
        if answer.status_code >= 400:
            return read["type"].rpartition("/")[2]
        self.csrf = read.get("csrf_token") or self.csrf
        return read

    def sign_in(self, email: str, password: str, code: str = "") -> Any:
        return self.call("POST", "/session", {"email": email, "password": password, "code": code})
