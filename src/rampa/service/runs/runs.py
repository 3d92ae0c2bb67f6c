"""Runs: planning, starting, watching, logs."""

from __future__ import annotations

from flask import Response

from rampa.operations.base import Act, Services
from rampa.operations.runs import approvals, logs, plan, start, watch
from rampa.schema import runs as wire
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import CreateHeaders, Resource, once_from
from rampa.service.base.streams import EVENTS, Streams, last_seen

RUNS = "/titles/<string:title>/runs"
RUN = RUNS + "/<int:run>"


def resource(services: Services) -> Resource:
    api = Resource("runs")

    @api.call("GET", RUNS, Act.READ, Page[wire.RunSummary])
    def list_runs(path: TitlePath, query: wire.RunQuery) -> Page[wire.RunSummary]:
        """A title's runs, newest first."""
        return watch.list_runs(services, path.title, query)

    @api.call("POST", RUNS, Act.START_RUN, wire.RunList, status=201)
    def start_runs(path: TitlePath, body: wire.NewRuns, header: CreateHeaders) -> wire.RunList:
        """Start runs of one or many profiles on one commit: all of them, or none with the reasons."""
        return start.start_runs(services, current_actor(), path.title, body, once_from(header))

    @api.call("POST", RUNS + "/plan", Act.READ, wire.PlanList)
    def plan_runs(path: TitlePath, body: wire.NewRuns) -> wire.PlanList:
        """What runs would do: steps, names of variables, agents that can, what stops them. Changes nothing."""
        return plan.plan_runs(services, path.title, body)

    @api.call("GET", "/queue", Act.READ, wire.Queue)
    def get_queue() -> wire.Queue:
        """What waits for what, and why; of all titles."""
        return watch.get_queue(services)

    @api.call("GET", RUN, Act.READ, wire.Run)
    def get_run(path: wire.RunPath) -> wire.Run:
        """One run with its steps, its attempts, and what its log folds to."""
        return watch.get_run(services, current_actor(), path.title, path.run)

    @api.call("POST", RUN + "/cancel", Act.CANCEL_RUN, wire.Run)
    def cancel_run(path: wire.RunPath) -> wire.Run:
        """Cancel a run. One that is worked on is stopped by its agent within seconds."""
        return watch.cancel_run(services, current_actor(), path.title, path.run)

    @api.call("POST", RUN + "/approve", Act.APPROVE_RUN, wire.Run)
    def approve_run(path: wire.RunPath) -> wire.Run:
        """Approve a run that somebody else started: its identity wants that before it signs."""
        return approvals.approve_run(services, current_actor(), path.title, path.run)

    @api.call("POST", RUN + "/repeat", Act.START_RUN, wire.RunList, status=201)
    def repeat_run(path: wire.RunPath, header: CreateHeaders) -> wire.RunList:
        """Start an ended run again: the same commit, today's profile document."""
        return start.repeat_run(services, current_actor(), path.title, path.run, once_from(header))

    _logs(api, services)
    return api


def _logs(api: Resource, services: Services) -> None:
    streams = Streams()

    @api.call("GET", RUN + "/log", Act.READ, wire.LogOut)
    def read_log(path: wire.RunPath, query: wire.LogQuery) -> wire.LogOut:
        """Lines of the log by number."""
        return logs.read_log(services, path.title, path.run, query)

    @api.call("GET", RUN + "/log/search", Act.READ, wire.SearchOut)
    def search_log(path: wire.RunPath, query: wire.SearchQuery) -> wire.SearchOut:
        """Numbers of the lines that hold a text."""
        return logs.search(services, path.title, path.run, query)

    @api.call("GET", RUN + "/log.txt", Act.READ, "text/plain")
    def save_log(path: wire.RunPath) -> Response:
        """The whole log as plain text."""
        response = Response(logs.whole_text(services, path.title, path.run), content_type="text/plain; charset=utf-8")
        response.headers["Content-Disposition"] = f'attachment; filename="{path.title}-run-{path.run}.txt"'
        return response

    @api.call("GET", RUN + "/stream", Act.READ, EVENTS)
    def stream_run(path: wire.RunPath, query: wire.StreamQuery) -> Response:
        """Server-sent events: `lines` of the log, `run` when it changes, `end`. Goes on from Last-Event-ID, a line's number."""
        watch.get_run(services, current_actor(), path.title, path.run)
        after = last_seen(query.after)
        return streams.open(
            current_actor().principal, watch.run_stream(services, current_actor(), path.title, path.run, after)
        )

    @api.call("GET", RUNS + "/stream", Act.READ, EVENTS)
    def stream_runs(path: TitlePath) -> Response:
        """Server-sent events: `runs` with the title's open and latest runs whenever one of them moves."""
        watch.list_runs(services, path.title, wire.RunQuery(limit=1))
        return streams.open(current_actor().principal, watch.title_stream(services, current_actor(), path.title))
