"""Signing in, people, tokens."""

from __future__ import annotations

from flask import Response, g, request

from rampa.operations.base import Act, Services
from rampa.operations.people import factors, membership, people, sessions, tokens
from rampa.schema import people as wire
from rampa.schema.common import Page
from rampa.service.base.access import COOKIE, current_actor
from rampa.service.base.address import client_address
from rampa.service.base.resource import CreateHeaders, Resource, once_from

PERSON = "/people/<string:person>"


def resource(services: Services, secure_cookies: bool) -> Resource:
    api = Resource("people")

    @api.call("POST", "/session", Act.OPEN, wire.Session, status=201)
    def sign_in(body: wire.SignIn) -> Response:
        """Sign in with address and password; the cookie is for the console, tokens for everything else."""
        return opened(
            *sessions.sign_in(services, body.email, body.password, client_address(), body.code), secure_cookies
        )

    @api.call("GET", "/session", Act.OWN, wire.Session)
    def get_session() -> wire.Session:
        """Who is signed in."""
        return sessions.describe_session(services, g.person, g.csrf_token)

    @api.call("DELETE", "/session", Act.OWN, None)
    def sign_out() -> Response:
        """End the console's session."""
        sessions.sign_out(services, request.cookies.get(COOKIE, ""))
        response = Response(status=204)
        response.delete_cookie(COOKIE, httponly=True, samesite="Strict", secure=secure_cookies)
        return response

    @api.call("GET", "/people", Act.READ, Page[wire.Person])
    def list_people(query: wire.PeopleQuery) -> Page[wire.Person]:
        """Everybody of the studio; with testers, if asked for."""
        return Page[wire.Person](items=people.list_people(services, query.testers))

    @api.call("POST", "/people", Act.ADD_PERSON, wire.Person, status=201)
    def add_person(body: wire.NewPerson, header: CreateHeaders) -> wire.Person:
        """Add a person with a role and a first password."""
        return people.add_person(services, current_actor(), body, once_from(header))

    _memberships(api, services)
    _factors(api, services)

    @api.call("GET", "/tokens", Act.OWN, Page[wire.Token])
    def list_tokens() -> Page[wire.Token]:
        """Your own tokens."""
        return Page[wire.Token](items=tokens.list_tokens(services, current_actor()))

    @api.call("POST", "/tokens", Act.OWN, wire.MadeToken, status=201)
    def make_token(body: wire.NewToken) -> wire.MadeToken:
        """Make a bearer token; its secret is answered this once."""
        return tokens.make_token(services, current_actor(), body)

    @api.call("DELETE", "/tokens/<string:token_id>", Act.OWN, None)
    def revoke_token(path: wire.TokenPath) -> None:
        """Revoke a token of yours; an owner, anybody's."""
        tokens.revoke_token(services, current_actor(), path.token_id)

    return api


def opened(session: wire.Session, secret: str, secure_cookies: bool) -> Response:
    """Who is signed in from now on, and the cookie that says so."""
    response = Response(session.model_dump_json(), status=201, content_type="application/json")
    life = int(sessions.SESSION_LIFE.total_seconds())
    response.set_cookie(COOKIE, secret, max_age=life, httponly=True, samesite="Strict", secure=secure_cookies)
    return response


def _factors(api: Resource, services: Services) -> None:
    """One's own second factor."""

    @api.call("POST", "/session/second-factor", Act.CHANGE_FACTOR, wire.NewFactor, status=201)
    def begin_factor(body: wire.FactorIn) -> wire.NewFactor:
        """Begin a second factor: a secret for an app that shows codes (RFC 6238). It takes your password again."""
        return factors.begin_factor(services, current_actor(), body)

    @api.call("PUT", "/session/second-factor", Act.OWN, wire.SpareCodes)
    def finish_factor(body: wire.CodeIn) -> wire.SpareCodes:
        """Have it count, with a code of it; the answer holds spare codes, this once."""
        return factors.finish_factor(services, current_actor(), body)

    @api.call("DELETE", "/session/second-factor", Act.CHANGE_FACTOR, None)
    def remove_factor() -> None:
        """Remove it."""
        factors.remove_factor(services, current_actor())

    @api.call("POST", "/session/confirmation", Act.OWN, None)
    def confirm(body: wire.CodeIn) -> None:
        """Confirm with a code that it is you: acts that matter take this session or token for five minutes."""
        factors.confirm(services, current_actor(), body, client_address())


def _memberships(api: Resource, services: Services) -> None:
    """How people come, change and go."""

    @api.call("POST", "/people/invitations", Act.ADD_PERSON, wire.Invitation, status=201)
    def invite_person(body: wire.InviteIn) -> wire.Invitation:
        """Invite a person: the code lets them choose a password, once, within three days."""
        return membership.invite(services, current_actor(), body)

    @api.call("POST", "/invitation", Act.OPEN, None)
    def accept_invitation(body: wire.AcceptIn) -> None:
        """Choose a password with the code of an invitation or a reset."""
        membership.accept(services, body, client_address())

    @api.call("PATCH", PERSON, Act.CHANGE_PERSON, wire.Person)
    def change_person(path: wire.PersonPath, body: wire.PersonChange) -> wire.Person:
        """Give a person another role; disable them, which ends all that they are signed in with, or enable them again."""
        return membership.change_person(services, current_actor(), path.person, body)

    @api.call("POST", PERSON + "/reset", Act.CHANGE_PERSON, wire.Invitation, status=201)
    def reset_person(path: wire.PersonPath) -> wire.Invitation:
        """End a person's password, sessions and tokens; the code lets them choose another password."""
        return membership.reset(services, current_actor(), path.person)

    @api.call("PUT", "/session/password", Act.OWN, None)
    def change_password(body: wire.PasswordChange) -> None:
        """Change your own password. Everything else that you are signed in with ends, tokens too."""
        secret = request.cookies.get(COOKIE, "")
        keep = people.digest_secret(secret) if secret else None
        membership.change_password(services, current_actor(), body, keep)
