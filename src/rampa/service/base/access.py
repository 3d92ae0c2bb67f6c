"""Who may call what: every route declares its roles, and a route that does not is closed."""

from __future__ import annotations

import hmac
from dataclasses import dataclass

from flask import Flask, g, request

from rampa.core.errors import Denied, Invalid
from rampa.operations.base.context import Actor, Services
from rampa.operations.people import people
from rampa.schema.common import Role

COOKIE = "rampa_session"
CSRF_HEADER = "X-CSRF-Token"
UNKNOWN_LIMIT = 100_000
SAFE = frozenset({"GET", "HEAD", "OPTIONS"})

EVERYBODY = frozenset(Role)
INSTALLERS = frozenset({Role.OWNER, Role.ENGINEER, Role.TESTER})
MAKERS = frozenset({Role.OWNER, Role.ENGINEER, Role.AGENT})
ENGINEERS = frozenset({Role.OWNER, Role.ENGINEER})
OWNERS = frozenset({Role.OWNER})
PUBLIC: frozenset[Role] = frozenset()
"""No sign-in: the signing-in itself, health, the OpenAPI document, the console's files."""


@dataclass
class AccessTable:
    """endpoint -> roles. One an application."""

    roles: dict[str, frozenset[Role]]


def install(app: Flask, services: Services, table: AccessTable) -> None:
    @app.before_request
    def check() -> None:
        if request.endpoint is None:
            return  # 404 and 405 are answered as such
        roles = table.roles.get(request.endpoint)
        if roles is None:
            raise Denied("route.closed", "this route does not say who may call it", hint="This is a defect of Rampa.")
        if roles is PUBLIC or not roles:
            _small()
            return
        actor = identify(services)
        if actor.role not in roles:
            allowed = ", ".join(sorted(roles))
            raise Denied("role.denied", f"a {actor.role} may not do this", hint=f"It takes one of: {allowed}.")
        g.actor = actor


def _small() -> None:
    """Whoever has not signed in sends little: nothing larger is read."""
    if (request.content_length or 0) > UNKNOWN_LIMIT:
        raise Invalid("request.too-large", f"without a sign-in at most {UNKNOWN_LIMIT:,} bytes are taken")


def current_actor() -> Actor:
    actor: Actor = g.actor
    return actor


def identify(services: Services) -> Actor:
    """From a bearer token, or from the console's cookie; with the cookie, changes need the CSRF token."""
    header = request.headers.get("Authorization", "")
    if header:
        return _from_token(services, header)
    secret = request.cookies.get(COOKIE, "")
    found = people.find_session(services, secret) if secret else None
    if found is None:
        raise Denied("sign-in.needed", "you are not signed in", hint="Sign in, or send a bearer token.")
    if request.method not in SAFE:
        sent = request.headers.get(CSRF_HEADER, "")
        if not hmac.compare_digest(sent.encode(), found.csrf_token.encode()):
            raise Denied("csrf.denied", f"the {CSRF_HEADER} header is missing or wrong", hint="Load the page again.")
    g.csrf_token = found.csrf_token
    g.person = found.person
    return Actor(found.person.id, found.person.name, Role(found.person.role), g.request_id)


def _from_token(services: Services, header: str) -> Actor:
    kind, _, secret = header.partition(" ")
    token = people.find_token(services, secret.strip()) if kind.lower() == "bearer" else None
    if token is None:
        raise Denied("token.unknown-bearer", "this token is not known", hint="Run `rampa sign-in` again.")
    g.csrf_token = ""
    g.person = token.person
    ceiling = people.RANK.index(Role(token.person.role))
    role = people.RANK[min(people.RANK.index(Role(token.role)), ceiling)]
    return Actor(token.person.id, token.person.name, role, g.request_id)
