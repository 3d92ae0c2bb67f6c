"""The studio's own review desk: the queue, a review with everything about it, claims and verdicts, times."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.reviews import desk, views
from rampa.schema import reviews as wire
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

REVIEW = "/titles/<string:title>/reviews/<int:review>"


def resource(services: Services) -> Resource:
    api = Resource("reviews")

    @api.call("GET", "/reviews", Act.READ_REVIEW, Page[wire.ReviewRowOut])
    def list_reviews(query: wire.ReviewsQuery) -> Page[wire.ReviewRowOut]:
        """What waits for the studio's reviewers, by promise and age."""
        return views.list_reviews(services, current_actor(), query)

    @api.call("GET", "/reviews/times", Act.READ_REVIEW, wire.ReviewTimes)
    def review_times() -> wire.ReviewTimes:
        """How long first verdicts took, week by week."""
        return views.times(services, current_actor())

    @api.call("POST", "/titles/<string:title>/reviews", Act.SUBMIT, wire.BuildReview, status=201)
    def make_review(path: TitlePath, body: wire.NewReview) -> wire.BuildReview:
        """Put a build before the studio's reviewers, for a channel."""
        return desk.put_before(services, current_actor(), path.title, body)

    @api.call("GET", REVIEW, Act.READ_REVIEW, wire.BuildReview)
    def get_review(path: wire.ReviewOf) -> wire.BuildReview:
        """A review with everything about it on one page."""
        return views.get_review(services, current_actor(), path.title, path.review)

    @api.call("POST", REVIEW + "/acts", Act.READ_REVIEW, wire.BuildReview)
    def act_on_review(path: wire.ReviewOf, body: wire.ReviewAct) -> wire.BuildReview:
        """Claim, give back, note, ask, refuse, pass; answer, appeal, withdraw."""
        return desk.act(services, current_actor(), path.title, path.review, body)

    return api
