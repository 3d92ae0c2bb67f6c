"""Finding the commit between two builds."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.runs import bisects
from rampa.schema import bisects as wire
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import CreateHeaders, Resource, once_from

BISECTS = "/titles/<string:title>/bisects"
BISECT = BISECTS + "/<int:bisect>"


def resource(services: Services) -> Resource:
    api = Resource("bisects")

    @api.call("GET", BISECTS, Act.READ, wire.BisectPage)
    def list_bisects(path: TitlePath, query: wire.BisectQuery) -> Page[wire.BisectSummary]:
        """A title's searches for a commit, newest first."""
        return bisects.list_bisects(services, path.title, query)

    @api.call("POST", BISECTS + "/plan", Act.READ_SOURCE, wire.BisectPlan)
    def plan_bisect(path: TitlePath, body: wire.NewBisect) -> wire.BisectPlan:
        """How many commits lie between the ends, how often something is tried, and how long that takes. Changes nothing."""
        return bisects.plan_bisect(services, path.title, body)

    @api.call("POST", BISECTS, Act.START_RUN, wire.Bisect, status=201)
    def start_bisect(path: TitlePath, body: wire.NewBisect, header: CreateHeaders) -> wire.Bisect:
        """Find the commit between a good and a bad end, by runs on the agents."""
        return bisects.start_bisect(services, current_actor(), path.title, body, once_from(header))

    @api.call("GET", BISECT, Act.READ, wire.Bisect)
    def get_bisect(path: wire.BisectPath) -> wire.Bisect:
        """One search: its commits, what each try came to, and what is left."""
        return bisects.get_bisect(services, current_actor(), path.title, path.bisect)

    @api.call("POST", BISECT + "/cancel", Act.CANCEL_RUN, wire.Bisect)
    def cancel_bisect(path: wire.BisectPath) -> wire.Bisect:
        """Give it up; its open runs are cancelled."""
        return bisects.cancel_bisect(services, current_actor(), path.title, path.bisect)

    @api.call("GET", BISECT + "/diff", Act.READ_SOURCE, wire.CommitDiff)
    def get_diff(path: wire.BisectPath) -> wire.CommitDiff:
        """What the commit that was found changed."""
        return bisects.get_diff(services, path.title, path.bisect)

    return api
