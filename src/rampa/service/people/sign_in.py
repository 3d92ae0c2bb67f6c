"""Ways to sign in beside a password: passkeys, a browser elsewhere, the studio's own provider."""

from __future__ import annotations

from flask import Response, request

from rampa.operations.base import Act, Services
from rampa.operations.people import machines, passkey_answers, passkeys, provider, provider_people, sessions
from rampa.schema import people as people_wire
from rampa.schema import sign_in as wire
from rampa.schema.common import Page
from rampa.service.base.access import current_actor
from rampa.service.base.address import client_address
from rampa.service.base.resource import PREFIX, Resource
from rampa.service.people.people import opened

PROVIDER_COOKIE = "rampa_provider"
PROVIDER = "/session/provider"
REQUEST = "/session/requests/<string:user_code>"


def resource(services: Services, secure_cookies: bool) -> Resource:
    api = Resource("sign_in")

    @api.call("GET", "/session/ways", Act.OPEN, wire.Ways)
    def list_ways() -> wire.Ways:
        """How one can sign in here."""
        name = services.provider.name if services.provider else ""
        return wire.Ways(provider=name, passkeys_at=services.origin)

    _passkeys(api, services, secure_cookies)
    _machines(api, services)
    _provider(api, services, secure_cookies)
    return api


def origin() -> str:
    """Of the page that asks, as the browser says it."""
    return request.headers.get("Origin", "")


def console_at() -> str:
    """The console's own origin, as far as who asks knows."""
    return request.host_url.rstrip("/")


def _passkeys(api: Resource, services: Services, secure_cookies: bool) -> None:
    @api.call("POST", "/session/passkey/challenge", Act.OPEN, wire.Challenge)
    def ask_passkey() -> wire.Challenge:
        """What a browser asks of a passkey for signing in."""
        return passkey_answers.ask(services, origin())

    @api.call("POST", "/session/passkey", Act.OPEN, people_wire.Session, status=201)
    def sign_in_with_passkey(body: wire.Asserted) -> Response:
        """Sign in with a passkey; the cookie is for the console."""
        return opened(*sessions.sign_in_with_passkey(services, body, origin(), client_address()), secure_cookies)

    @api.call("GET", "/session/passkeys", Act.OWN, Page[wire.Passkey])
    def list_passkeys() -> Page[wire.Passkey]:
        """Your own passkeys."""
        return Page[wire.Passkey](items=passkeys.list_passkeys(services, current_actor()))

    @api.call("POST", "/session/passkeys/challenge", Act.CHANGE_FACTOR, wire.Challenge)
    def begin_passkey(body: wire.PasskeyBegin) -> wire.Challenge:
        """Begin a passkey: what the browser needs. It takes your password again."""
        return passkeys.begin_passkey(services, current_actor(), body, origin())

    @api.call("POST", "/session/passkeys", Act.OWN, wire.Passkey, status=201)
    def finish_passkey(body: wire.PasskeyIn) -> wire.Passkey:
        """Keep the passkey that the browser made; it signs you in from now on."""
        return passkeys.finish_passkey(services, current_actor(), body, origin())

    @api.call("DELETE", "/session/passkeys/<string:passkey>", Act.CHANGE_FACTOR, None)
    def remove_passkey(path: wire.PasskeyPath) -> None:
        """Remove a passkey of yours."""
        passkeys.remove_passkey(services, current_actor(), path.passkey)

    @api.call("POST", "/session/confirmation/challenge", Act.OWN, wire.Challenge)
    def ask_confirmation() -> wire.Challenge:
        """What a browser asks of your passkey to confirm that it is you."""
        return passkey_answers.ask(services, origin(), current_actor())

    @api.call("POST", "/session/confirmation/passkey", Act.OWN, None)
    def confirm_with_passkey(body: wire.Asserted) -> None:
        """Confirm with a passkey that it is you: acts that matter take this session for five minutes."""
        passkey_answers.confirm(services, current_actor(), body, origin(), client_address())


def _machines(api: Resource, services: Services) -> None:
    @api.call("POST", "/session/requests", Act.OPEN, wire.SignInRequest, status=201)
    def begin_request(body: wire.SignInRequestIn) -> wire.SignInRequest:
        """Ask for a machine to be signed in by a browser elsewhere (RFC 8628)."""
        return machines.begin_request(services, body, services.origin or console_at(), client_address())

    @api.call("POST", "/session/requests/token", Act.OPEN, people_wire.MadeToken, status=201)
    def take_token(body: wire.DeviceCode) -> people_wire.MadeToken:
        """The machine's token, once its person has allowed it."""
        return machines.take_token(services, body)

    @api.call("GET", REQUEST, Act.OWN, wire.WaitingMachine)
    def get_request(path: wire.UserCodePath) -> wire.WaitingMachine:
        """The machine that waits with this code."""
        return machines.look_at_request(services, current_actor(), path.user_code)

    @api.call("POST", REQUEST, Act.ALLOW_MACHINE, None)
    def decide_request(path: wire.UserCodePath, body: wire.Verdict) -> None:
        """Allow the machine to act as you, or refuse it."""
        machines.decide(services, current_actor(), path.user_code, body)


def _provider(api: Resource, services: Services, secure_cookies: bool) -> None:
    @api.call("POST", PROVIDER, Act.OPEN, wire.ProviderBegin)
    def begin_provider() -> Response:
        """Where the studio's own sign-in is (OpenID Connect); the cookie belongs to this try."""
        begun, kept = provider.begin_at_provider(services, services.origin or console_at(), origin())
        response = Response(begun.model_dump_json(), content_type="application/json")
        _keep(response, kept, 600, secure_cookies)
        return response

    @api.call("POST", PROVIDER + "/return", Act.OPEN, people_wire.Session, status=201)
    def finish_provider(body: wire.ProviderReturn) -> Response:
        """Sign in with what the provider sent the browser back with."""
        kept = request.cookies.get(PROVIDER_COOKIE, "")
        response = opened(*provider_people.sign_in_by_provider(services, body, kept), secure_cookies)
        _keep(response, "", 0, secure_cookies)
        return response


def _keep(response: Response, kept: str, seconds: int, secure_cookies: bool) -> None:
    response.set_cookie(
        PROVIDER_COOKIE,
        kept,
        max_age=seconds,
        path=PREFIX + PROVIDER,
        httponly=True,
        samesite="Strict",
        secure=secure_cookies,
    )
