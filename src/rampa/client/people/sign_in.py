"""Signing in with a password once, to get a token."""

from __future__ import annotations

import httpx

from rampa.client.connection import Connection, problem_error
from rampa.core.errors import Unavailable
from rampa.schema.people import MadeToken, NewToken, Session, SignIn


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
