"""A small OpenID Connect provider on loopback, for tests: it lets `person` in without asking, and lies as it is told to."""

from __future__ import annotations

import base64
import datetime as dt
import hashlib
import hmac
import json
import secrets
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

from flask import Flask, Response, jsonify, redirect, request
from joserfc import jwt
from joserfc.jwk import KeySet, RSAKey
from werkzeug.serving import make_server

from rampa.operations.base import Provider
from rampa.schema.common import Role
from tests.conftest import World

CLIENT, SECRET = "rampa at quillback", "a secret: with + and %"
ROLES = {"rampa-owners": Role.OWNER, "game-builds": Role.ENGINEER, "testers": Role.TESTER}


@dataclass
class StandInProvider:
    """`person` are the claims of who signs in; `lies` change the ID token's; `described` what it says of itself."""

    person: dict[str, Any] = field(
        default_factory=lambda: {
            "sub": "u-17",
            "email": "aino@quillback.example",
            "email_verified": True,
            "name": "Aino Virtanen",
            "groups": ["game-builds", "everybody"],
        }
    )
    lies: dict[str, Any] = field(default_factory=dict)
    described: dict[str, Any] = field(default_factory=dict)
    signs_with: str = "own"
    key: RSAKey = field(default_factory=lambda: RSAKey.generate_key(2048, {"kid": "now"}))
    at: str = ""
    codes: dict[str, dict[str, str]] = field(default_factory=dict)
    now: Any = None

    def settings(self) -> Provider:
        return Provider(self.at, CLIENT, SECRET, ROLES, "the studio's account")

    def visit(self, address: str) -> dict[str, str]:
        """What a browser brings back that was sent to `address`."""
        asked = {name: values[0] for name, values in parse_qs(urlsplit(address).query).items()}
        code = secrets.token_urlsafe(16)
        self.codes[code] = asked
        return {"code": code, "state": asked["state"], "iss": self.at}

    def id_token(self, asked: dict[str, str]) -> str:
        now = int((self.now or dt.datetime.now(dt.UTC)).timestamp())
        claims = {"iss": self.at, "aud": CLIENT, "iat": now, "exp": now + 300, "nonce": asked["nonce"]}
        claims = {name: value for name, value in (claims | self.person | self.lies).items() if value is not None}
        if self.signs_with == "nothing":
            return _by_hand("none", claims, None)
        if self.signs_with in ("secret", "public key"):
            public = self.key.as_pem(private=False)
            return _by_hand("HS256", claims, SECRET.encode() if self.signs_with == "secret" else public)
        key = RSAKey.generate_key(2048, {"kid": "now"}) if self.signs_with == "other" else self.key
        return jwt.encode({"alg": "RS256", "kid": "now"}, claims, key)

    def app(self) -> Flask:
        app = Flask("provider")

        @app.get("/.well-known/openid-configuration")
        def describe() -> Response:
            ends = {"authorization_endpoint": "/authorize", "token_endpoint": "/token", "jwks_uri": "/keys"}
            return jsonify({"issuer": self.at} | {name: self.at + path for name, path in ends.items()} | self.described)

        @app.get("/keys")
        def keys() -> Response:
            return jsonify(KeySet([self.key]).as_dict(private=False))

        @app.get("/authorize")
        def authorize() -> Any:
            back = self.visit(request.url)
            return redirect(f"{request.args['redirect_uri']}?{urlencode(back)}")

        @app.post("/token")
        def token() -> Any:
            asked = self.codes.pop(request.form["code"], None)
            verifier = hashlib.sha256(request.form["code_verifier"].encode()).digest()
            sent = request.authorization
            good = (
                asked is not None
                and sent is not None
                and (sent.username, sent.password) == ("rampa+at+quillback", "a+secret%3A+with+%2B+and+%25")
                and base64.urlsafe_b64encode(verifier).decode().rstrip("=") == asked["code_challenge"]
                and request.form["redirect_uri"] == asked["redirect_uri"]
            )
            if not good or asked is None:
                return jsonify({"error": "invalid_grant"}), 400
            return jsonify({"id_token": self.id_token(asked), "access_token": "x", "token_type": "Bearer"})

        return app


@contextmanager
def provider_for(world: World) -> Iterator[StandInProvider]:
    """The world's services have it for their own sign-in."""
    with serving() as provider:
        object.__setattr__(world.services, "provider", provider.settings())
        yield provider


@contextmanager
def serving() -> Iterator[StandInProvider]:
    provider = StandInProvider()
    server = make_server("127.0.0.1", 0, provider.app(), threaded=True)
    provider.at = f"http://127.0.0.1:{server.server_port}"
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield provider
    finally:
        server.shutdown()
        thread.join()
        server.server_close()


def _by_hand(algorithm: str, claims: dict[str, Any], key: bytes | None) -> str:
    """What no library makes: a token signed by nobody, or by what everybody knows."""
    parts = [json.dumps(part).encode() for part in ({"alg": algorithm, "kid": "now"}, claims)]
    said = b".".join(base64.urlsafe_b64encode(part).rstrip(b"=") for part in parts)
    mark = hmac.digest(key, said, "sha256") if key else b""
    return (said + b"." + base64.urlsafe_b64encode(mark).rstrip(b"=")).decode()
