"""The studio's calendar: what ends when, agreements, one's own feed."""

from __future__ import annotations

from flask import Response

from rampa.operations.base import Act, Services
from rampa.operations.calendar import calendar
from rampa.schema import calendar as wire
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

ICALENDAR = "text/calendar"


def resource(services: Services) -> Resource:
    api = Resource("calendar")

    @api.call("GET", "/calendar", Act.READ, wire.CalendarOut)
    def get_calendar() -> wire.CalendarOut:
        """What of the studio ends when: certificates, accounts, ratings, agreements, grants, tokens, roots of trust."""
        return calendar.get_calendar(services, current_actor())

    @api.call("POST", "/calendar/agreements", Act.KEEP_CALENDAR, wire.CalendarOut)
    def keep_agreement(body: wire.NewAgreement) -> wire.CalendarOut:
        """Write down what was agreed until a day, or another end of it."""
        return calendar.agree(services, current_actor(), body)

    @api.call("DELETE", "/calendar/agreements/<string:agreement>", Act.KEEP_CALENDAR, None)
    def drop_agreement(path: wire.AgreementPath) -> None:
        """Remove an agreement from the calendar."""
        calendar.drop_agreement(services, current_actor(), path.agreement)

    @api.call("POST", "/calendar/feed", Act.READ, wire.FeedAddress)
    def make_feed() -> wire.FeedAddress:
        """An address for one's own calendar program, shown once; an earlier one ends."""
        return calendar.make_feed(services, current_actor())

    @api.call("DELETE", "/calendar/feed", Act.READ, None)
    def end_feed() -> None:
        """End one's own feed."""
        calendar.end_feed(services, current_actor())

    @api.call("GET", "/calendar/feeds/<string:secret>", Act.OPEN, ICALENDAR)
    def read_feed(path: wire.CalendarFeedPath) -> Response:
        """The calendar as iCalendar (RFC 5545), by the secret in its address."""
        made = Response(calendar.read_feed(services, path.secret), content_type=f"{ICALENDAR}; charset=utf-8")
        made.headers["Cache-Control"] = "private, max-age=900"
        return made

    return api
