"""The routes of OAuth 2.0: metadata (RFC 8414), registration (RFC 7591), consent, tokens, revocation (RFC 7009)."""

from __future__ import annotations

import base64
import binascii
import secrets
from urllib.parse import urlencode

from flask import Blueprint, Response, jsonify, redirect, render_template, request
from flask import session as browser
from sqlalchemy.orm import Session

from rampa.core.errors import Denied, Invalid
from rampa.schema.storefronts import METADATA, SCOPES
from rampa.standin.storefront import access
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import ClientRow

WORDS = {
    "titles:read": "see the studio's titles and what players are offered",
    "submissions:write": "send builds and put them before reviewers",
    "releases:write": "say how many players get what passed, hold it and take it back",
}


def blueprint(shop: Shop) -> Blueprint:
    api = Blueprint("oauth", __name__)
    _described(api, shop)
    _consent(api, shop)
    _tokens(api, shop)
    return api


def _described(api: Blueprint, shop: Shop) -> None:
    @api.get(METADATA)
    def metadata() -> Response:
        at = request.host_url.rstrip("/")
        return jsonify(
            issuer=at,
            authorization_endpoint=f"{at}/oauth/authorize",
            token_endpoint=f"{at}/oauth/token",
            revocation_endpoint=f"{at}/oauth/revoke",
            registration_endpoint=f"{at}/oauth/register",
            scopes_supported=list(SCOPES),
            response_types_supported=["code"],
            grant_types_supported=["authorization_code", "refresh_token"],
            code_challenge_methods_supported=["S256"],
            token_endpoint_auth_methods_supported=["client_secret_basic"],
        )

    @api.post("/oauth/register")
    def register() -> Response:
        asked = request.get_json(silent=True) or {}
        uris = asked.get("redirect_uris")
        if (
            not isinstance(uris, list)
            or not 0 < len(uris) <= 5
            or not all(isinstance(u, str) and _web(u) for u in uris)
        ):
            raise Invalid("oauth.redirect", "one to five addresses to lead back to are needed", where="redirect_uris")
        name = str(asked.get("client_name", "a program"))[:200]
        with shop.begin() as session:
            client, secret = access.register(session, name, list(uris))
        made = jsonify(client_id=client, client_secret=secret, client_name=name, redirect_uris=uris)
        made.status_code = 201
        return made


def _consent(api: Blueprint, shop: Shop) -> None:
    @api.get("/oauth/authorize")
    def consent() -> str:
        asked = request.args
        with shop.begin() as session:
            client = access.must_lead_back(session, asked.get("client_id", ""), asked.get("redirect_uri", ""))
        if asked.get("response_type") != "code" or asked.get("code_challenge_method") != "S256":
            raise Invalid("oauth.way", "this storefront knows the authorization code with S256 alone")
        scopes = [s for s in SCOPES if s in asked.get("scope", "").split()]
        browser["consent"] = secrets.token_urlsafe(16)
        return render_template(
            "consent.html", shop=shop, client=client, asked=asked, scopes=scopes, words=WORDS, mark=browser["consent"]
        )

    @api.post("/oauth/authorize")
    def decide() -> Response:
        asked = request.form
        # The form comes from the page that this browser was shown, and from no other site.
        if not browser.get("consent") or not secrets.compare_digest(browser.pop("consent"), asked.get("mark", "")):
            raise Denied("oauth.form", "this form is not from this page", hint="Begin again.")
        with shop.begin() as session:
            client = access.must_lead_back(session, asked.get("client_id", ""), asked.get("redirect_uri", ""))
            back = {"state": asked.get("state", ""), "iss": request.host_url.rstrip("/")}
            if asked.get("answer") == "yes":
                scopes, challenge = asked.getlist("scope"), asked.get("code_challenge", "")
                back["code"] = access.make_code(shop, session, client, asked["redirect_uri"], scopes, challenge)
            else:
                back["error"] = "access_denied"
        mark = "&" if "?" in asked["redirect_uri"] else "?"
        return redirect(f"{asked['redirect_uri']}{mark}{urlencode(back)}", 303)  # type: ignore[return-value]


def _tokens(api: Blueprint, shop: Shop) -> None:
    @api.post("/oauth/token")
    def token() -> Response:
        try:
            made = _given(shop)
        except access.GrantFault as fault:
            return _refused(fault)
        answer = jsonify(made)
        answer.headers["Cache-Control"] = "no-store"
        return answer

    @api.post("/oauth/revoke")
    def revoke() -> Response:
        try:
            with shop.begin() as session:
                access.revoke(session, _client(session), request.form.get("token", ""))
        except access.GrantFault as fault:
            return _refused(fault)
        return Response(status=200)


def _given(shop: Shop) -> dict[str, object]:
    """Raises `GrantFault`. What a stolen token revoked stays revoked: that is written before it is said."""
    asked, stolen = request.form, None
    made: dict[str, object] = {}
    with shop.begin() as session:
        client = _client(session)
        if asked.get("grant_type") == "authorization_code":
            code = (asked.get("code", ""), asked.get("redirect_uri", ""), asked.get("code_verifier", ""))
            made = access.from_code(shop, session, client, *code)
        elif asked.get("grant_type") == "refresh_token":
            try:
                made = access.from_refresh(shop, session, client, asked.get("refresh_token", ""))
            except access.StolenToken as fault:
                stolen = fault
        else:
            raise access.GrantFault("unsupported_grant_type", "codes and refresh tokens are taken")
    if stolen:
        raise stolen
    return made


def _client(session: Session) -> ClientRow:
    kind, _, said = request.headers.get("Authorization", "").partition(" ")
    try:
        name, _, secret = base64.b64decode(said, validate=True).decode().partition(":")
    except (binascii.Error, UnicodeDecodeError) as error:
        raise access.GrantFault("invalid_client", "the program does not say who it is") from error
    if kind.lower() != "basic":
        raise access.GrantFault("invalid_client", "the program says who it is by HTTP Basic")
    return access.known_client(session, name, secret)


def _refused(fault: access.GrantFault) -> Response:
    answer = jsonify(error=fault.error, error_description=fault.said)
    answer.status_code = 401 if fault.error == "invalid_client" else 400
    answer.headers["Cache-Control"] = "no-store"
    return answer


def _web(address: str) -> bool:
    return len(address) < 500 and address.startswith(
        ("https://", "http://127.0.0.1", "http://localhost", "http://rampa.test")
    )
