"""Feedback: a tester's own, and the studio's answers."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.testers import feedback
from rampa.schema import feedback as wire
from rampa.schema.common import Page
from rampa.schema.testers import TestBuildPath
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource
from rampa.service.testers.testing import BUILD

ONE = "/titles/<string:title>/feedback/<int:feedback>"


def resource(services: Services) -> Resource:
    api = Resource("feedback")

    @api.call("POST", BUILD + "/feedback", Act.TEST, wire.Feedback, status=201)
    def say_feedback(path: TestBuildPath, body: wire.FeedbackIn) -> wire.Feedback:
        """Say something of a build to the studio, with pictures and what is known of your device."""
        return feedback.say(services, current_actor(), path.title, path.channel, path.build, body)

    @api.call("GET", "/testing/feedback", Act.TEST, Page[wire.Feedback])
    def list_own_feedback() -> Page[wire.Feedback]:
        """What you said, and what came of it; newest first."""
        return feedback.list_own(services, current_actor())

    @api.call("POST", "/testing/feedback/<string:feedback_id>/reply", Act.TEST, wire.Feedback)
    def reply_feedback(path: wire.OwnFeedbackPath, body: wire.WordIn) -> wire.Feedback:
        """Say more to something of yours."""
        return feedback.reply(services, current_actor(), path.feedback_id, body.text)

    @api.call("GET", "/titles/<string:title>/feedback", Act.READ, Page[wire.Feedback])
    def list_feedback(path: TitlePath, query: wire.FeedbackQuery) -> Page[wire.Feedback]:
        """What testers said of a title's builds, newest first."""
        return feedback.list_feedback(services, current_actor(), path.title, query)

    @api.call("GET", ONE, Act.READ, wire.Feedback)
    def get_feedback(path: wire.FeedbackPath) -> wire.Feedback:
        """One piece of feedback with all words."""
        return feedback.get_feedback(services, current_actor(), path.title, path.feedback)

    @api.call("POST", ONE + "/answer", Act.ANSWER_FEEDBACK, wire.Feedback)
    def answer_feedback(path: wire.FeedbackPath, body: wire.WordIn) -> wire.Feedback:
        """Answer; the tester gets a letter."""
        return feedback.answer(services, current_actor(), path.title, path.feedback, body.text)

    @api.call("POST", ONE + "/close", Act.ANSWER_FEEDBACK, wire.Feedback)
    def close_feedback(path: wire.FeedbackPath, body: wire.CloseIn) -> wire.Feedback:
        """Close it, with the build or commit that mends it; the tester gets a letter."""
        return feedback.close(services, current_actor(), path.title, path.feedback, body)

    @api.call("POST", ONE + "/reopen", Act.ANSWER_FEEDBACK, wire.Feedback)
    def reopen_feedback(path: wire.FeedbackPath) -> wire.Feedback:
        """Open it again."""
        return feedback.reopen(services, current_actor(), path.title, path.feedback)

    return api
