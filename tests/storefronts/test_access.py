"""A studio's account at a simulated storefront by OAuth 2.0: let in, renewed, too narrow, over, revoked, stolen."""

from __future__ import annotations

import httpx
import pytest

from rampa.schema import storefronts as wire
from tests.refusals import refuses
from tests.shops import BACK, Quay, let_in
from tests.storefronts.conftest import Opens


@pytest.fixture
def quay(opens: Opens) -> Quay:
    return opens("northquay")


def token(quay: Quay, auth: httpx.Auth, **said: str) -> httpx.Response:
    with quay.http() as http:
        return http.post("/oauth/token", data=said, auth=auth)


def test_an_account_says_what_its_token_may(quay: Quay) -> None:
    account = quay.adapter().account()
    assert (account.studio, account.verified, account.scopes) == ("Quillback Works", True, list(wire.SCOPES))
    with quay.http() as http:
        said = http.get(wire.METADATA).json()
    assert said["code_challenge_methods_supported"] == ["S256"]
    assert said["token_endpoint"] == "http://storefront.test/oauth/token"


def test_a_person_may_grant_less_than_was_asked(quay: Quay) -> None:
    _, made = let_in(quay, granted=(wire.READ,))
    narrow = quay.adapter(made["access_token"])
    assert narrow.account().scopes == [wire.READ]
    with refuses("storefront.scope", "this access has titles:read, and submissions:write is needed"):
        narrow.register("example.quillback.peatlight", "Peatlight")
    trial = quay.trial()
    made_there = trial.storefront.submit(trial.sent(), "key-00000001")
    _, made = let_in(quay, granted=(wire.READ, wire.SUBMIT))
    with refuses("storefront.scope", "releases:write"):
        quay.adapter(made["access_token"]).act(made_there.id, wire.ActIn(act="go-live"))


def test_tokens_end_and_are_renewed_once_each(quay: Quay) -> None:
    auth, made = let_in(quay)
    quay.pass_(31 * 60)
    with refuses("storefront.expired", "this access token is over"):
        quay.adapter(made["access_token"]).account()
    renewed = token(quay, auth, grant_type="refresh_token", refresh_token=made["refresh_token"]).json()
    assert quay.adapter(renewed["access_token"]).account().studio
    # The old refresh token once more: somebody has a copy. Nothing of that consent is good any more.
    stolen = token(quay, auth, grant_type="refresh_token", refresh_token=made["refresh_token"])
    assert (stolen.status_code, stolen.json()["error"]) == (400, "invalid_grant")
    with refuses("storefront.revoked"):
        quay.adapter(renewed["access_token"]).account()
    again = token(quay, auth, grant_type="refresh_token", refresh_token=renewed["refresh_token"])
    assert again.json()["error"] == "invalid_grant"


def test_access_is_revoked_by_the_studio_or_the_operator(quay: Quay) -> None:
    auth, made = let_in(quay)
    with quay.http() as http:
        assert http.post("/oauth/revoke", data={"token": made["refresh_token"]}, auth=auth).status_code == 200
        assert http.post("/oauth/revoke", data={"token": "made up"}, auth=auth).status_code == 200
    with refuses("storefront.revoked", "revoked this access"):
        quay.adapter(made["access_token"]).account()
    assert quay.adapter().account().studio
    quay.trouble("revoke")
    with refuses("storefront.revoked"):
        quay.adapter().account()


def test_codes_verifiers_and_programs_of_others(quay: Quay) -> None:
    auth, made = let_in(quay)
    other, _ = let_in(quay)
    assert token(quay, other, grant_type="refresh_token", refresh_token=made["refresh_token"]).status_code == 400
    assert token(quay, auth, grant_type="password", username="iida").json()["error"] == "unsupported_grant_type"
    said = {"grant_type": "authorization_code", "code": "made up", "redirect_uri": BACK, "code_verifier": "x" * 43}
    assert token(quay, auth, **said).json()["error"] == "invalid_grant"
    wrong = httpx.BasicAuth("program-0", "nothing")
    assert token(quay, wrong, **said).status_code == 401
    with quay.http() as http:
        assert http.post("/oauth/token", data=said).json()["error"] == "invalid_client"
        known = http.post("/oauth/register", json={"redirect_uris": [BACK]}).json()["client_id"]
        for changed, code in (
            ({"redirect_uri": "https://elsewhere.example/"}, "oauth.redirect"),
            ({"client_id": "program-0"}, "oauth.client"),
            ({"response_type": "token"}, "oauth.way"),
            ({"code_challenge_method": "plain"}, "oauth.way"),
        ):
            asked = {"client_id": known, "redirect_uri": BACK, "response_type": "code", "code_challenge_method": "S256"}
            answer = http.get("/oauth/authorize", params=asked | changed)
            assert (answer.status_code, answer.json()["code"], "location" in answer.headers) == (422, code, False)
        form = {"answer": "yes", "client_id": known, "redirect_uri": BACK}
        assert http.post("/oauth/authorize", data=form).json()["code"] == "oauth.form"
        for uris in ([], ["ftp://x/"], ["https://a.example"] * 6, "https://a.example", None):
            assert http.post("/oauth/register", json={"redirect_uris": uris}).json()["code"] == "oauth.redirect"


@pytest.mark.parametrize("said", ["", "Bearer", "Bearer made-up", "Basic aWlkYQ==", "bearer \x7f"])
def test_without_a_token_only_who_it_is_is_told(quay: Quay, said: str) -> None:
    with quay.http() as http:
        http.headers["Authorization"] = said
        assert http.get(f"{wire.API}/about").json()["simulated"] is True
        for method, path in (
            ("GET", "/account"),
            ("GET", "/titles/a.b"),
            ("POST", "/submissions"),
            ("POST", "/uploads"),
        ):
            sent = b"{}" if path == "/submissions" else None
            headers = {"Tus-Resumable": "1.0.0", "Idempotency-Key": "key-00000001"}
            assert http.request(method, wire.API + path, headers=headers, content=sent).status_code in (401, 422), path
        assert http.get(f"{wire.API}/account").json()["code"] == "token.unknown"


def test_each_refusal_says_what_the_standard_says(quay: Quay) -> None:
    """RFC 6750, section 3.1."""
    _, narrow = let_in(quay, granted=())
    with quay.http() as http:
        asked = [("token.scope", "insufficient_scope")]
        for code, error in [*asked, ("token.revoked", "invalid_token")]:
            answer = http.get(f"{wire.API}/account", headers={"Authorization": f"Bearer {narrow['access_token']}"})
            assert (answer.json()["code"], answer.headers["WWW-Authenticate"]) == (code, f'Bearer error="{error}"')
            quay.trouble("revoke")
