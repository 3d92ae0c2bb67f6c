"""Submissions: the plan, putting builds before storefronts, how they go, what is done about them; checks of the studio's own."""

from __future__ import annotations

from flask import Response, request

from rampa.operations.base import Act, Services
from rampa.operations.submissions import acts, following, hand_in, notices, plan, rules, submit, views
from rampa.schema import submissions as wire
from rampa.schema.common import Page
from rampa.schema.storefront_accounts import StorefrontPath
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import CreateHeaders, Resource, once_from

TITLE = "/titles/<string:title>"
SUBMISSION = TITLE + "/submissions/<int:submission>"


def resource(services: Services) -> Resource:
    api = Resource("submissions")

    @api.call("GET", TITLE + "/submission-plan", Act.READ, wire.SubmissionPlan)
    def plan_submission(path: TitlePath, query: wire.PlanQuery) -> wire.SubmissionPlan:
        """What each storefront needs for a build or a release, what is there, what is missing, where to mend it."""
        return plan.plan(services, current_actor(), path.title, query)

    @api.call("GET", TITLE + "/submissions", Act.READ, Page[wire.SubmissionRowOut])
    def list_submissions(path: TitlePath, query: wire.SubmissionsQuery) -> Page[wire.SubmissionRowOut]:
        """A title's submissions, the newest first."""
        return views.list_submissions(services, current_actor(), path.title, query)

    @api.call("POST", TITLE + "/submissions", Act.SUBMIT, wire.MadeSubmissions, status=201)
    def make_submissions(path: TitlePath, body: wire.NewSubmissions, header: CreateHeaders) -> wire.MadeSubmissions:
        """Put a build or a release before its storefronts: all of it, or nothing where something is missing."""
        return submit.submit(services, current_actor(), path.title, body, once_from(header))

    _one(api, services)
    _rules(api, services)

    @api.call("POST", "/storefronts/<string:storefront>/notices", Act.OPEN, None)
    def take_notice(path: StorefrontPath) -> None:
        """A storefront says that something changed; signed as Standard Webhooks 1.0 says."""
        notices.take(services, path.storefront, request.get_data(cache=False), dict(request.headers))

    return api


def _one(api: Resource, services: Services) -> None:
    @api.call("GET", SUBMISSION, Act.READ, wire.SubmissionOut)
    def get_submission(path: wire.SubmissionOf) -> wire.SubmissionOut:
        """One submission: where it is, how long that takes usually, every word of the reviewers."""
        return views.get_submission(services, current_actor(), path.title, path.submission)

    @api.call("POST", SUBMISSION + "/look", Act.SUBMIT, wire.SubmissionOut)
    def look_at_submission(path: wire.SubmissionOf) -> wire.SubmissionOut:
        """Ask the storefront now how it goes."""
        return following.look(services, current_actor(), path.title, path.submission)

    @api.call("POST", SUBMISSION + "/acts", Act.SUBMIT, wire.SubmissionOut)
    def act_on_submission(path: wire.SubmissionOf, body: wire.SubmissionAct) -> wire.SubmissionOut:
        """Stop, go on, answer, appeal, withdraw; go live, grow, hold, roll back; send again what was lost."""
        return acts.act(services, current_actor(), path.title, path.submission, body)

    @api.call("GET", SUBMISSION + "/hand-in", Act.SUBMIT, "application/zip")
    def get_hand_in(path: wire.SubmissionOf) -> Response:
        """What a person needs beside the bundle to hand in a title's first one: its sheet and the pictures."""
        name, made = hand_in.archive(services, current_actor(), path.title, path.submission)
        headers = {"Content-Disposition": f'attachment; filename="{name}"', "Cache-Control": "no-store"}
        return Response(made, headers=headers, content_type="application/zip")


def _rules(api: Resource, services: Services) -> None:
    @api.call("GET", "/studio-rules", Act.READ, wire.RuleList)
    def list_rules() -> wire.RuleList:
        """The studio's own checks of submissions."""
        return rules.list_rules(services, current_actor())

    @api.call("POST", "/studio-rules", Act.MAKE_RULE, wire.RuleOut, status=201)
    def add_rule(body: wire.RuleIn) -> wire.RuleOut:
        """Add a check: written as a rule, or made of what a storefront found."""
        return rules.add_rule(services, current_actor(), body)

    @api.call("DELETE", "/studio-rules/<string:rule>", Act.MAKE_RULE, None)
    def remove_rule(path: wire.RulePath) -> None:
        """Remove a check of the studio's own."""
        rules.remove_rule(services, current_actor(), path.rule)
