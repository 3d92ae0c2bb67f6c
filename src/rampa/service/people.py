"""Signing in, people, tokens."""

from __future__ import annotations

from flask import Response, g, request

from rampa.operations.base import Act, Services
from rampa.operations.people import people
from rampa.schema import people as wire
from rampa.schema.common import Page
from rampa.service.base.access import COOKIE, current_actor
from rampa.service.base.address import client_address
from rampa.service.base.resource import CreateHeaders, Resource, once_from


def resource(services: Services, secure_cookies: bool) -> Resource:
    api = Resource("people")

    @api.call("POST", "/session", Act.OPEN, wire.Session, status=201)
    def sign_in(body: wire.SignIn) -> Response:
        """Sign in with address and password; the cookie is for the console, tokens for everything else."""
        session, secret = people.sign_in(services, body.email, body.password, client_address())
        response = Response(session.model_dump_json(), status=201, content_type="application/json")
        life = int(people.SESSION_LIFE.total_seconds())
        response.set_cookie(COOKIE, secret, max_age=life, httponly=True, samesite="Strict", secure=secure_cookies)
        return response

    @api.call("GET", "/session", Act.OWN, wire.Session)
    def get_session() -> wire.Session:
        """Who is signed in."""
        return people.describe_session(services, g.person, g.csrf_token)

    @api.call("DELETE", "/session", Act.OWN, None)
    def sign_out() -> Response:
        """End the console's session."""
        people.sign_out(services, request.cookies.get(COOKIE, ""))
        response = Response(status=204)
        response.delete_cookie(COOKIE, httponly=True, samesite="Strict", secure=secure_cookies)
        return response

    @api.call("GET", "/people", Act.READ, Page[wire.Person])
    def list_people() -> Page[wire.Person]:
        """Everybody of the studio."""
        return Page[wire.Person](items=people.list_people(services))

    @api.call("POST", "/people", Act.ADD_PERSON, wire.Person, status=201)
    def add_person(body: wire.NewPerson, header: CreateHeaders) -> wire.Person:
        """Add a person with a role and a first password."""
        return people.add_person(services, current_actor(), body, once_from(header))

    @api.call("GET", "/tokens", Act.OWN, Page[wire.Token])
    def list_tokens() -> Page[wire.Token]:
        """Your own tokens."""
        return Page[wire.Token](items=people.list_tokens(services, current_actor()))

    @api.call("POST", "/tokens", Act.OWN, wire.MadeToken, status=201)
    def make_token(body: wire.NewToken) -> wire.MadeToken:
        """Make a bearer token; its secret is answered this once."""
        return people.make_token(services, current_actor(), body)

    @api.call("DELETE", "/tokens/<string:token_id>", Act.OWN, None)
    def revoke_token(path: wire.TokenPath) -> None:
        """Revoke a token of yours; an owner, anybody's."""
        people.revoke_token(services, current_actor(), path.token_id)

    return api
