"""Listings: states, one's own draft, findings, what storefronts show, pictures, links, the rating."""

from __future__ import annotations

from flask import Response, request

from rampa.core.listing.layout import LARGEST_PICTURE
from rampa.operations.base import Act, Services
from rampa.operations.listings import check, drafts, links, pictures, rating, rules, states
from rampa.schema import listings as wire
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import ChangeHeaders, Resource, expected_version

LISTING = "/titles/<string:title>/listing"
DRAFT = LISTING + "/draft"
PICTURE = "image/*"


def resource(services: Services) -> Resource:
    api = Resource("listings")
    _states(api, services)
    _drafts(api, services)
    _pictures(api, services)
    _around(api, services)
    return api


def _states(api: Resource, services: Services) -> None:
    @api.call("GET", LISTING, Act.READ, wire.ListingOut)
    def get_listing(path: TitlePath) -> tuple[wire.ListingOut, int]:
        """A title's listing as it was saved last; the ETag is the state's number, 0 where there is none yet."""
        found = states.get_listing(services, current_actor(), path.title)
        return found, found.number

    @api.call("POST", LISTING, Act.CHANGE_LISTING, wire.ListingOut)
    def add_listing(path: TitlePath, body: wire.ListingIn, header: ChangeHeaders) -> wire.ListingOut:
        """A whole folder as the next state; all that is wrong with it is said at once. If-Match: the state that you saw."""
        expected = expected_version(header.if_match, needed=True)
        return states.add_state(services, current_actor(), path.title, body, expected)

    @api.call("GET", LISTING + "/states", Act.READ, wire.ListingStates)
    def list_listing_states(path: TitlePath) -> wire.ListingStates:
        """All states, newest first."""
        return states.list_states(services, path.title)

    @api.call("GET", LISTING + "/states/<int:number>", Act.READ, wire.ListingOut)
    def get_listing_state(path: wire.ListingStatePath) -> wire.ListingOut:
        """One state with its files."""
        return states.get_listing(services, current_actor(), path.title, path.number)

    @api.call("GET", LISTING + "/states/<int:number>/change", Act.READ, wire.ListingDifference)
    def compare_listing_states(path: wire.ListingStatePath, query: wire.AgainstQuery) -> wire.ListingDifference:
        """What a state changed against the one before, or against any other; value by value."""
        return states.compare_states(services, path.title, path.number, query.against)


def _drafts(api: Resource, services: Services) -> None:
    @api.call("GET", DRAFT, Act.READ, wire.ListingDraft)
    def get_listing_draft(path: TitlePath) -> tuple[wire.ListingDraft, int]:
        """Your draft, or what one would begin with; and who else has one. The ETag is its version."""
        found = drafts.get_draft(services, current_actor(), path.title)
        return found, found.version

    @api.call("POST", DRAFT + "/edits", Act.CHANGE_LISTING, wire.ListingDraft)
    def edit_listing_draft(path: TitlePath, body: wire.ListingEditsIn, header: ChangeHeaders) -> wire.ListingDraft:
        """Make edits in your draft. If-Match: the draft's version that you saw, 0 for none."""
        expected = expected_version(header.if_match, needed=True)
        return drafts.edit_draft(services, current_actor(), path.title, body, expected)

    @api.call("DELETE", DRAFT, Act.CHANGE_LISTING, None)
    def drop_listing_draft(path: TitlePath) -> None:
        """Throw your draft away."""
        drafts.drop_draft(services, current_actor(), path.title)

    @api.call("GET", DRAFT + "/review", Act.READ, wire.ListingReview)
    def review_listing_draft(path: TitlePath) -> wire.ListingReview:
        """What saving your draft would change; when somebody was faster, both changes together."""
        return drafts.review(services, current_actor(), path.title)

    @api.call("POST", DRAFT + "/rebase", Act.CHANGE_LISTING, wire.ListingDraft)
    def rebase_listing_draft(path: TitlePath, body: wire.RebaseIn) -> wire.ListingDraft:
        """Take both changes together into your draft, on the newest state."""
        return drafts.rebase(services, current_actor(), path.title, body.onto)

    @api.call("POST", DRAFT + "/save", Act.CHANGE_LISTING, wire.ListingOut)
    def save_listing_draft(path: TitlePath, body: wire.SaveIn, header: ChangeHeaders) -> wire.ListingOut:
        """Your draft becomes the next state. If-Match: the draft's version that you saw."""
        expected = expected_version(header.if_match, needed=True)
        return drafts.save_draft(services, current_actor(), path.title, body.message, expected)


def _pictures(api: Resource, services: Services) -> None:
    @api.call("POST", LISTING + "/pictures", Act.CHANGE_LISTING, wire.MadeListingPicture, status=201, sends=PICTURE)
    def add_listing_picture(path: TitlePath) -> wire.MadeListingPicture:
        """Send a picture (PNG, JPEG, WebP); an edit puts it into the listing by its digest."""
        data = request.stream.read(LARGEST_PICTURE + 1)
        return pictures.add_picture(services, current_actor(), path.title, data)

    @api.call("GET", LISTING + "/pictures/<string:digest>", Act.READ, PICTURE)
    def get_listing_picture(path: wire.ListingPicturePath, query: wire.SizeQuery) -> Response:
        """A picture, as it was sent or in the size of a storefront."""
        data, media = pictures.get_picture(services, path.title, path.digest, query)
        response = Response(data, content_type=media)
        response.headers["Cache-Control"] = "private, max-age=86400, immutable"
        return response


def _around(api: Resource, services: Services) -> None:
    @api.call("GET", "/listing-rules", Act.READ, wire.AllListingRules)
    def list_listing_rules() -> wire.AllListingRules:
        """What each storefront asks of a listing: lengths and how they are counted, categories, sizes, the questionnaire."""
        return rules.list_rules()

    @api.call("GET", LISTING + "/check", Act.READ, wire.ListingCheck)
    def check_listing(path: TitlePath, query: wire.DraftQuery) -> wire.ListingCheck:
        """All findings, and how the listing stands for each storefront and language."""
        return check.check(services, current_actor(), path.title, query.draft)

    @api.call("GET", LISTING + "/shown", Act.READ, wire.ShownOut)
    def show_listing(path: TitlePath, query: wire.ShownQuery) -> wire.ShownOut:
        """What a storefront would show, in a language, on a form of device."""
        return check.shown(services, current_actor(), path.title, query)

    @api.call("GET", LISTING + "/links", Act.READ, wire.LinksOut)
    def list_listing_links(path: TitlePath) -> wire.LinksOut:
        """The links that it names, and whether they answered."""
        return links.list_links(services, path.title)

    @api.call("POST", LISTING + "/links/look", Act.CHANGE_LISTING, wire.LinksOut)
    def look_at_listing_links(path: TitlePath) -> wire.LinksOut:
        """Have all of them looked at now, in the background."""
        return links.ask_look(services, current_actor(), path.title)

    @api.call("GET", LISTING + "/rating", Act.READ, wire.RatingOut)
    def get_rating(path: TitlePath) -> wire.RatingOut:
        """The questionnaire's answers, each storefront's rating, and who affirmed them."""
        return rating.get_rating(services, current_actor(), path.title)

    @api.call("POST", LISTING + "/rating/affirm", Act.AFFIRM_RATING, wire.RatingOut)
    def affirm_rating(path: TitlePath, body: wire.AffirmIn) -> wire.RatingOut:
        """Affirm that the answers are true, with your name as a signature."""
        return rating.affirm(services, current_actor(), path.title, body)
