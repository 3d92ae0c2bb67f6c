"""What the queue carries out. Each task can be done twice without harm: after a kill it is done again.

Queues are named in `rampa.db.queue`; whoever asks for a job puts it there in the transaction of its own change.
"""

from __future__ import annotations

import uuid
from contextlib import suppress

from procrastinate import App, JobContext, PsycopgConnector, RetryStrategy
from procrastinate.exceptions import UniqueViolation
from procrastinate.jobs import Status

from rampa.core.errors import Refused, Unavailable
from rampa.db import queue
from rampa.jobs.letters import Post
from rampa.operations.base import Services
from rampa.operations.board import kept
from rampa.operations.calendar import calendar
from rampa.operations.channels import rollouts
from rampa.operations.content import visibility
from rampa.operations.delivery import origins, publish
from rampa.operations.health import stacks, watch
from rampa.operations.layout import asking
from rampa.operations.layout import making as layout_making
from rampa.operations.listings import links, pictures
from rampa.operations.notices import sending as webhook_sending
from rampa.operations.notices import telling
from rampa.operations.releases import by_itself, schedule
from rampa.operations.replays import asked as replay_asked
from rampa.operations.replays import carried_out
from rampa.operations.reviews import desk
from rampa.operations.runs import assignment, bisect_trials, triggers
from rampa.operations.sources import repository
from rampa.operations.store import check as checking
from rampa.operations.store import collection, past
from rampa.operations.storefronts import accounts
from rampa.operations.studio import verification
from rampa.operations.submissions import by_itself as by_itself_there
from rampa.operations.submissions import following, going, sending
from rampa.operations.testers import letters
from rampa.operations.trust import alarm
from rampa.operations.updates import difference_set, needed_differences
from rampa.store.outbound import asker, looker, poster

AGAIN = RetryStrategy(max_attempts=5, exponential_wait=2, retry_exceptions={Unavailable})
"""Only what may be there later is tried again."""
LETTERS_AGAIN = RetryStrategy(max_attempts=13, exponential_wait=2, retry_exceptions={Unavailable})
"""For more than two hours: a mail server that is away for a while loses nobody's letter."""


def make_app(url: str, services: Services, post: Post, stalled: float) -> App:
    """The queue's application with all tasks. `url` is the database's; a worker without a heartbeat for `stalled` s is lost."""
    app = App(connector=PsycopgConnector(conninfo=url.replace("postgresql+psycopg://", "postgresql://")))
    _runs(app, services)
    _sources(app, services)
    _content(app, services)
    _channels(app, services)
    _delivery(app, services)
    _listings(app, services)
    _submissions(app, services)
    _mail(app, services, post)
    _webhooks(app, services)
    _give_back(app, stalled)
    return app


def _webhooks(app: App, services: Services) -> None:
    send = poster(services.webhook_reach)

    @app.periodic(cron="* * * * * */2")
    @app.task(name="send_webhooks", queue=queue.MAIL, queueing_lock="send_webhooks")
    def send_webhooks(timestamp: int) -> None:
        """Two workers may send at once: each takes what the other does not hold."""
        webhook_sending.send_due(services, send)

    @app.periodic(cron="11 4 * * *")
    @app.task(name="forget_deliveries", queue=queue.MAIL, lock="forget_deliveries", queueing_lock="forget_deliveries")
    def forget_deliveries(timestamp: int) -> None:
        webhook_sending.forget(services)


def _mail(app: App, services: Services, post: Post) -> None:
    @app.task(name="send_letter", queue=queue.MAIL, retry=LETTERS_AGAIN)
    def send_letter(to: str, subject: str, text: str) -> None:
        post.send(to, subject, text)

    @app.task(name="send_invitations", queue=queue.MAIL, lock="invitations")
    def send_invitations() -> None:
        letters.send_due(services, post.send)

    @app.periodic(cron="* * * * * */5")
    @app.task(name="send_waiting", queue=queue.MAIL, lock="invitations", queueing_lock="send_waiting")
    def send_waiting(timestamp: int) -> None:
        """What the mail server was not there for, and what a worker that was killed left."""
        letters.send_due(services, post.send)

    @app.periodic(cron="* * * * * */10")
    @app.task(name="tell_people", queue=queue.MAIL, lock="tell_people", queueing_lock="tell_people")
    def tell_people(timestamp: int) -> None:
        telling.tell_due(services)


def _runs(app: App, services: Services) -> None:
    @app.task(name="assign", queue=queue.RUNS, lock="assign", retry=AGAIN)
    def assign() -> None:
        assignment.assign(services)

    @app.task(name="look_for_lost", queue=queue.RUNS, lock="assign", retry=AGAIN)
    def look_for_lost() -> None:
        assignment.look_for_lost(services)

    @app.periodic(cron="* * * * * */3")
    @app.task(name="look_after_runs", queue=queue.RUNS, lock="assign", queueing_lock="look_after_runs")
    def look_after_runs(timestamp: int) -> None:
        """Agents that fall silent say nothing: they are looked for."""
        assignment.look_for_lost(services)
        assignment.assign(services)

    @app.task(name="go_on_bisecting", queue=queue.RUNS, lock="bisect", retry=AGAIN)
    def go_on_bisecting() -> None:
        bisect_trials.go_on(services)

    @app.periodic(cron="* * * * * */5")
    @app.task(name="look_after_bisects", queue=queue.RUNS, lock="bisect", queueing_lock="look_after_bisects")
    def look_after_bisects(timestamp: int) -> None:
        """An agent that comes free is one try more at once."""
        bisect_trials.go_on(services)


def _channels(app: App, services: Services) -> None:
    @app.periodic(cron="* * * * * */3")
    @app.task(name="grow_rollouts", queue=queue.CHANNELS, lock="grow_rollouts", queueing_lock="grow_rollouts")
    def grow_rollouts(timestamp: int) -> None:
        """A worker that was killed in between leaves the step undone: the next look takes it."""
        rollouts.grow_due(services)

    @app.periodic(cron="* * * * * */3")
    @app.task(name="place_scheduled", queue=queue.CHANNELS, lock="place_scheduled", queueing_lock="place_scheduled")
    def place_scheduled(timestamp: int) -> None:
        schedule.place_due(services)

    @app.task(name="place_by_itself", queue=queue.CHANNELS, lock="place_scheduled", retry=AGAIN)
    def place_by_itself(build: str) -> None:
        by_itself.place_by_itself(services, uuid.UUID(build))

    @app.periodic(cron="* * * * * */5")
    @app.task(name="watch_rollouts", queue=queue.CHANNELS, lock="watch_rollouts", queueing_lock="watch_rollouts")
    def watch_rollouts(timestamp: int) -> None:
        """What grows is compared with the build before, and holds itself where it is worse."""
        watch.watch(services)

    @app.periodic(cron="23 * * * *")
    @app.task(name="forget_board_changes", queue=queue.CHANNELS, queueing_lock="forget_board_changes")
    def forget_board_changes(timestamp: int) -> None:
        kept.forget(services)

    @app.periodic(cron="41 3 * * *")
    @app.task(name="forget_reports", queue=queue.CHANNELS, lock="forget_reports", queueing_lock="forget_reports")
    def forget_reports(timestamp: int) -> None:
        watch.forget(services)


def _delivery(app: App, services: Services) -> None:
    ask = asker(services.webhook_reach)

    @app.periodic(cron="* * * * * */3")
    @app.task(name="publish_deliveries", queue=queue.CHANNELS, lock="publish", queueing_lock="publish_deliveries")
    def publish_deliveries(timestamp: int) -> None:
        """Signed again where channels or content changed, and long before anything runs out."""
        publish.publish_due(services)

    @app.periodic(cron="* * * * * 7")
    @app.task(name="look_at_origins", queue=queue.CHANNELS, lock="look_at_origins", queueing_lock="look_at_origins")
    def look_at_origins(timestamp: int) -> None:
        origins.look_at_origins(services, ask)

    @app.periodic(cron="* * * * * 37")
    @app.task(name="tell_of_trust", queue=queue.MAIL, lock="tell_of_trust", queueing_lock="tell_of_trust")
    def tell_of_trust(timestamp: int) -> None:
        alarm.tell_owners(services)


def _listings(app: App, services: Services) -> None:
    look = looker(services.webhook_reach)

    @app.periodic(cron="* * * * * */10")
    @app.task(name="look_at_links", queue=queue.MAIL, lock="look_at_links", queueing_lock="look_at_links")
    def look_at_links(timestamp: int) -> None:
        links.look_due(services, look)

    @app.periodic(cron="* * * * * 23")
    @app.task(name="look_at_storefronts", queue=queue.MAIL, lock="storefronts", queueing_lock="look_at_storefronts")
    def look_at_storefronts(timestamp: int) -> None:
        """What a storefront took away is said before it is needed."""
        accounts.look_due(services)
        verification.look_due(services)

    @app.periodic(cron="7 6 * * *")
    @app.task(name="remind_of_endings", queue=queue.MAIL, lock="remind_of_endings", queueing_lock="remind_of_endings")
    def remind_of_endings(timestamp: int) -> None:
        calendar.remind_due(services)

    @app.periodic(cron="29 4 * * *")
    @app.task(name="forget_pictures", queue=queue.MAIL, lock="forget_pictures", queueing_lock="forget_pictures")
    def forget_pictures(timestamp: int) -> None:
        pictures.forget(services)


def _submissions(app: App, services: Services) -> None:
    @app.periodic(cron="* * * * * */2")
    @app.task(name="go_on_submitting", queue=queue.CHANNELS, lock="submissions", queueing_lock="go_on_submitting")
    def go_on_submitting(timestamp: int) -> None:
        """What is due is sent, looked at, let go live; what a mended account held up goes on."""
        by_itself_there.begin_due(services)
        sending.go_on_connected(services)
        sending.ask_due(services)
        following.follow_due(services)
        going.go_live_due(services)

    @app.periodic(cron="* * * * * */10")
    @app.task(name="end_claims", queue=queue.CHANNELS, lock="end_claims", queueing_lock="end_claims")
    def end_claims(timestamp: int) -> None:
        """Of reviewers who vanished."""
        desk.lapse_due(services)

    @app.task(name="submit_by_itself", queue=queue.CHANNELS, lock="submissions", retry=AGAIN)
    def submit_by_itself(build: str) -> None:
        by_itself_there.submit_by_itself(services, uuid.UUID(build))

    @app.task(name="send_submission", queue=queue.SUBMISSIONS, retry=AGAIN)
    def send_submission(submission: str) -> None:
        sending.send(services, uuid.UUID(submission))


def _sources(app: App, services: Services) -> None:
    @app.task(name="fetch_source", queue=queue.SOURCES, retry=AGAIN)
    def fetch_source(title: str) -> None:
        if repository.fetch(services, title):
            triggers.after_fetch(services, title)

    @app.periodic(cron="* * * * * */10")
    @app.task(name="look_at_sources", queue=queue.SOURCES, lock="look_at_sources", queueing_lock="look_at_sources")
    def look_at_sources(timestamp: int) -> None:
        triggers.due_schedules(services)
        triggers.due_sources(services)


def _content(app: App, services: Services) -> None:
    @app.task(name="make_differences", queue=queue.CONTENT, lock="differences", retry=AGAIN)
    def make_differences(new: str, old: str) -> None:
        difference_set.make(services, new, old)

    @app.task(name=asking.TASK, queue=queue.CONTENT, lock=asking.TASK, retry=AGAIN)
    def lay_out(build: str) -> None:
        """Packs for players, one build after the other: each takes all cores while it is made."""
        layout_making.lay_out(services, build)

    @app.task(name=replay_asked.TASK, queue=queue.CONTENT, lock=replay_asked.TASK, retry=AGAIN)
    def replay(replay: str) -> None:
        """One after the other, as packs for players: each takes all cores."""
        carried_out.carry_out(services, replay)

    @app.task(name="show_content", queue=queue.CONTENT, lock="visibility", retry=AGAIN)
    def show_content(build: str) -> None:
        visibility.show(services, uuid.UUID(build))

    @app.task(name="lower_content", queue=queue.CONTENT, lock="visibility", retry=AGAIN)
    def lower_content() -> None:
        visibility.lower(services)

    @app.task(name="look_up_crashes", queue=queue.CONTENT, lock="look_up_crashes", retry=AGAIN)
    def look_up_crashes() -> None:
        """Names and groups for the stacks of crashes that came since."""
        stacks.look_up(services)

    @app.task(name="check_store", queue=queue.CONTENT, lock="check_store", retry=AGAIN)
    def check_store(check: int) -> None:
        checking.go_on(services, check)

    @app.periodic(cron="17 * * * *")
    @app.task(name="collect_store_hourly", queue=queue.CONTENT, lock="collect", queueing_lock="collect_store_hourly")
    def collect_store_hourly(timestamp: int) -> None:
        _collect(services)

    @app.task(name="collect_store", queue=queue.CONTENT, lock="collect", retry=AGAIN)
    def collect_store() -> None:
        _collect(services)


def _collect(services: Services) -> None:
    visibility.settle(services)
    past.lay_out_past(services)
    with suppress(Refused):  # a backup is being made: the next hour comes
        collection.collect(services)
    needed_differences.ask_where_lacking(services)


def _give_back(app: App, stalled: float) -> None:
    @app.periodic(cron="* * * * * */5")
    @app.task(name="give_back_lost_jobs", queue=queue.RUNS, queueing_lock="give_back_lost_jobs", pass_context=True)
    async def give_back_lost_jobs(context: JobContext, timestamp: int) -> None:
        """After a kill -9 of a worker its jobs stay marked as being done: they are put back."""
        for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=stalled):
            try:
                await app.job_manager.retry_job(job)
            except UniqueViolation:
                # The same work was asked for again meanwhile: that job does it, and this one is over.
                await app.job_manager.finish_job(job, status=Status.FAILED, delete_job=True)
        await app.job_manager.prune_stalled_workers(stalled)
