"""The protocol's routes: `/storefront/v1`, with an OpenAPI document of its own."""

from __future__ import annotations

from typing import Any

from flask import Response, request
from flask_openapi.blueprint import APIBlueprint
from pydantic import BaseModel, Field

from rampa.core.errors import Invalid
from rampa.core.listing.layout import LARGEST_PICTURE
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.studio.verification import LARGEST_DOCUMENT, VerificationState
from rampa.schema import storefronts as wire
from rampa.standin.storefront import notices, submissions, titles, verification
from rampa.standin.storefront.access import allowed
from rampa.standin.storefront.shop import Shop
from rampa.standin.storefront.tables import SettingRow

NOTE = "Simulated: nobody outside this machine is reached, and every rule, price and wait is made up."


class KeyHeader(BaseModel):
    """The same key again is the same submission."""

    key: str = Field(alias="Idempotency-Key", min_length=8, max_length=200)


def blueprint(shop: Shop) -> APIBlueprint:
    api = APIBlueprint("storefront", __name__, url_prefix=wire.API)
    _looking(api, shop)
    _verifying(api, shop)
    _submitting(api, shop)
    return api


def _looking(api: APIBlueprint, shop: Shop) -> None:
    shop_facts = STOREFRONTS[shop.character.name]

    @api.get("/about", responses={"200": wire.About})
    def about() -> Response:
        """Who this is, and what it can do; open to anybody."""
        with shop.begin() as session:
            row = session.get(SettingRow, "rules")
        said = wire.About(
            name=shop.character.name,
            title=shop_facts.title,
            protocol=wire.VERSION,
            simulated=True,
            note=NOTE,
            platforms=list(shop_facts.platforms),
            abilities=list(shop.character.abilities),
            scopes=list(wire.SCOPES),
            rules=int(row.value.get("number", 2)) if row else 1,
        )
        return _said(said)

    @api.get("/account", responses={"200": wire.AccountAt})
    def account() -> Response:
        """The studio's account, as the token that asks sees it."""
        token = allowed(shop, wire.READ)
        state = verification.look(shop).state
        return _said(
            wire.AccountAt(
                studio=shop.studio,
                verified=state is VerificationState.VERIFIED,
                scopes=list(token.scopes),
                until=token.until,
                ends=titles.account_ends(shop),
            )
        )

    @api.get("/titles/<string:identifier>", responses={"200": wire.TitleAt})
    def get_title(path: wire.IdentifierPath) -> Response:
        """A title: its highest version code, what players are offered."""
        allowed(shop, wire.READ)
        return _said(titles.get_title(shop, path.identifier))

    @api.put("/titles/<string:identifier>", responses={"200": wire.TitleAt})
    def put_title(path: wire.IdentifierPath, body: wire.TitleIn) -> Response:
        """Register a title, or name it anew."""
        allowed(shop, wire.SUBMIT)
        return _said(titles.put_title(shop, path.identifier, body))

    @api.put("/pictures/<string:digest>", responses={"204": None})
    def put_picture(path: wire.SentPicturePath) -> Response:
        """Send a picture by its SHA-256."""
        allowed(shop, wire.SUBMIT)
        titles.put_picture(shop, path.digest, request.stream.read(LARGEST_PICTURE + 1))
        return Response(status=204)


def _verifying(api: APIBlueprint, shop: Shop) -> None:
    @api.get("/verification", responses={"200": wire.VerificationAt})
    def get_verification() -> Response:
        """Where the studio's verification is."""
        allowed(shop, wire.READ)
        return _said(verification.look(shop))

    @api.put("/documents/<string:digest>", responses={"204": None})
    def put_document(path: wire.DocumentPath) -> Response:
        """Send a document (PDF, PNG, JPEG) by its SHA-256."""
        allowed(shop, wire.SUBMIT)
        verification.put_document(shop, path.digest, request.stream.read(LARGEST_DOCUMENT + 1))
        return Response(status=204)

    @api.post("/verification", responses={"200": wire.VerificationAt})
    def hand_in(body: wire.StudioIn) -> Response:
        """Hand in who the studio is, with documents that were sent."""
        allowed(shop, wire.SUBMIT)
        return _said(verification.hand_in(shop, body))


def _submitting(api: APIBlueprint, shop: Shop) -> None:
    @api.post("/submissions", responses={"201": wire.SubmissionAt})
    def submit(header: KeyHeader, body: wire.SubmissionIn) -> Response:
        """Put a build that was sent before the reviewers."""
        allowed(shop, wire.SUBMIT)
        return _said(submissions.submit(shop, body, header.key), 201)

    @api.get("/titles/<string:identifier>/submissions", responses={"200": wire.SubmissionList})
    def list_submissions(path: wire.IdentifierPath) -> Response:
        """A title's submissions, the newest first."""
        allowed(shop, wire.READ)
        return _said(submissions.list_of(shop, path.identifier))

    @api.get("/submissions/<string:submission>", responses={"200": wire.SubmissionAt})
    def get_submission(path: wire.SubmissionPath) -> Response:
        """One submission: its state, every word that was written, what was found."""
        allowed(shop, wire.READ)
        return _said(submissions.look(shop, path.submission))

    @api.post("/submissions/<string:submission>/acts", responses={"200": wire.SubmissionAt})
    def act(path: wire.SubmissionPath, body: wire.ActIn) -> Response:
        """Answer, withdraw, appeal; go live, grow, hold, roll back."""
        allowed(shop, wire.SUBMIT if body.act in submissions.BEFORE else wire.RELEASE)
        return _said(submissions.act(shop, path.submission, body))

    @api.put("/notices", responses={"200": wire.NoticeKey})
    def put_notices(body: wire.NoticeTo) -> Response:
        """Where the studio is told of changes. Notices are signed with the key that is answered, once."""
        allowed(shop, wire.READ)
        return _said(wire.NoticeKey(secret=notices.set_address(shop, body.address)))


def _said(value: Any, status: int = 200) -> Response:
    if not isinstance(value, BaseModel):
        raise Invalid("storefront.answer", "there is no answer")
    return Response(value.model_dump_json(), status=status, content_type="application/json")
