"""Getting a token: with a password, or by a browser elsewhere (RFC 8628)."""

from __future__ import annotations

import time
from collections.abc import Callable

import httpx

from rampa.client.calls import API, JSON, json_of
from rampa.client.connection import Connection, problem_error
from rampa.core.errors import Conflict, Denied, Unavailable
from rampa.schema.people import MadeToken, NewToken, Session, SignIn
from rampa.schema.sign_in import DeviceCode, SignInRequest, SignInRequestIn


def token_for(address: str, email: str, password: str, name: str, code: str = "") -> tuple[Session, MadeToken]:
    """Opens a session, makes a token with it, and ends the session. Raises `Denied` for a wrong password, and
    with `sign-in.factor-needed` where a code of the second factor is missing."""
    base = Connection(address).address
    try:
        with httpx.Client(base_url=base, timeout=30, trust_env=False) as http:
            answer = http.post("/api/v1/session", json=SignIn(email=email, password=password, code=code).model_dump())
            if answer.status_code >= 400:
                raise problem_error(answer)
            session = Session.model_validate_json(answer.content)
            headers = {"X-CSRF-Token": session.csrf_token}
            made = http.post("/api/v1/tokens", json=NewToken(name=name).model_dump(), headers=headers)
            if made.status_code >= 400:
                raise problem_error(made)
            http.delete("/api/v1/session", headers=headers)
            return session, MadeToken.model_validate_json(made.content)
    except httpx.TransportError as error:
        raise Unavailable(
            "service.unreachable", f"the service at {base} does not answer", hint="Start it with bin/up."
        ) from error


def ask_browser(connection: Connection, name: str) -> SignInRequest:
    """Codes for a machine called `name`: the short one is for its person."""
    return connection.post(SignInRequest, f"{API}/session/requests", SignInRequestIn(name=name))


def token_from_browser(
    connection: Connection, request: SignInRequest, sleep: Callable[[float], None] = time.sleep
) -> MadeToken:
    """Waits until the person has allowed it. Raises `Denied` when they refuse, or the request is over."""
    asked = json_of(DeviceCode(device_code=request.device_code))
    for _ in range(request.expires_in // max(1, request.interval) + 2):
        try:
            return connection.send(MadeToken, "POST", f"{API}/session/requests/token", asked, JSON)
        except Conflict as waiting:
            if waiting.code != "request.pending":
                raise
        sleep(request.interval)
    raise Denied("request.over", "this sign-in was not allowed in time", hint="Begin again.")
