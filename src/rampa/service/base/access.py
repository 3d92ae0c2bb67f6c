"""Who may call what: every route declares its act, and a route that does not is closed. The policy says who may."""

from __future__ import annotations

import hmac
from dataclasses import dataclass

from flask import Flask, Response, g, request

from rampa.core.errors import Denied, Invalid
from rampa.operations.agents.enrolment import TOKEN_MARK, find_agent_token
from rampa.operations.agents.scope import must_hold
from rampa.operations.base import Act, Actor, Services, must
from rampa.operations.base.policy import MATTERS, OF_THE_STUDIO
from rampa.operations.devices.scope import must_follow
from rampa.operations.devices.sessions import TOKEN_MARK as DEVICE_MARK
from rampa.operations.devices.sessions import find_device
from rampa.operations.people import factors, ranks, sessions, tokens
from rampa.schema.common import Role

COOKIE = "rampa_session"
CSRF_HEADER = "X-CSRF-Token"
UNKNOWN_LIMIT = 100_000
SAFE = frozenset({"GET", "HEAD", "OPTIONS"})


@dataclass
class AccessTable:
    """endpoint -> what calling it does; the policy says who may. One an application."""

    acts: dict[str, Act]


def install(app: Flask, services: Services, table: AccessTable, needed: bool = False) -> None:
    """`needed`: owners and engineers do nothing before they have a second factor."""

    @app.before_request
    def check() -> None:
        if request.endpoint is None:
            return  # 404 and 405 are answered as such
        act = table.acts.get(request.endpoint)
        # A route that was added without its act answers nobody, the owner included.
        if act is None:
            raise Denied("route.closed", "this route does not say what it does", hint="This is a defect of Rampa.")
        if act is Act.OPEN:
            _small()
            return
        actor = identify(services)
        title = (request.view_args or {}).get("title", "")
        if title and not (actor.agent or actor.device) and act not in OF_THE_STUDIO:
            actor = ranks.at_title(services, actor, g.person, title)
        must(actor, act)
        if actor.agent:
            must_hold(services, actor, request.view_args or {})
        elif actor.device:
            must_follow(services, actor, request.view_args or {})
        else:
            _second_factor(services, actor, act, needed)
        g.actor = actor

    @app.after_request
    def keep_private(response: Response) -> Response:
        # Nothing that takes a sign-in is kept on the way, unless its route says otherwise: "private" at most.
        response.headers.setdefault("Cache-Control", "no-store")
        # No browser guesses that a file of a build is a page of ours.
        response.headers["X-Content-Type-Options"] = "nosniff"
        return response


def _second_factor(services: Services, actor: Actor, act: Act, needed: bool) -> None:
    # One's own account stays open: there the factor is added.
    if needed and act not in (Act.OWN, Act.CHANGE_FACTOR):
        factors.must_have_one(g.person, actor.role)
    if act in MATTERS:
        factors.must_be_confirmed(services, g.person, g.confirmed_at)


def _small() -> None:
    """Whoever has not signed in sends little: nothing larger is read, however its length is said."""
    request.max_content_length = UNKNOWN_LIMIT
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
    found = sessions.find_session(services, secret) if secret else None
    if found is None:
        raise Denied("sign-in.needed", "you are not signed in", hint="Sign in, or send a bearer token.")
    # A browser sends the cookie by itself, whoever made the page; only our own page can know this header's value.
    if request.method not in SAFE:
        sent = request.headers.get(CSRF_HEADER, "")
        if not hmac.compare_digest(sent.encode(), found.csrf_token.encode()):
            raise Denied("csrf.denied", f"the {CSRF_HEADER} header is missing or wrong", hint="Load the page again.")
    g.csrf_token = found.csrf_token
    g.person, g.confirmed_at = found.person, found.confirmed_at
    return Actor(found.person.id, found.person.name, Role(found.person.role), g.request_id, session=found.digest)


def _from_token(services: Services, header: str) -> Actor:
    kind, _, secret = header.partition(" ")
    secret = secret.strip() if kind.lower() == "bearer" else ""
    g.csrf_token = ""
    if secret.startswith(TOKEN_MARK):
        return _agent(services, secret)
    if secret.startswith(DEVICE_MARK):
        return _device(services, secret)
    token = tokens.find_token(services, secret)
    if token is None:
        raise Denied("token.unknown-bearer", "this token is not known", hint="Run `rampa sign-in` again.")
    g.person, g.confirmed_at = token.person, token.confirmed_at
    # Roles can have been taken from the person since: a token never may more than they may now.
    ceiling = Role(token.role)
    role = ranks.lower(Role(token.person.role), ceiling)
    return Actor(token.person.id, token.person.name, role, g.request_id, token=token.id, ceiling=ceiling)


def _agent(services: Services, secret: str) -> Actor:
    token = find_agent_token(services, secret)
    if token is None:
        raise Denied("token.expired", "this agent's token is over, or the agent was removed", hint="Ask for another.")
    agent = token.agent
    return Actor(agent.id, f"agent {agent.name}", Role.AGENT, g.request_id, agent.name, token.instance)


def _device(services: Services, secret: str) -> Actor:
    device = find_device(services, secret)
    if device is None:
        raise Denied(
            "token.expired", "this device's token is over, or the device was taken out", hint="Ask for another."
        )
    return Actor(device.id, f"device {device.name}", Role.DEVICE, g.request_id, device=device.name)
