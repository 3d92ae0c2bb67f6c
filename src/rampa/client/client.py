"""The client library: what people script with. The command line and agents use nothing else.

from rampa.client import Client
with Client("http://127.0.0.1:8600", token) as rampa:
    for build in rampa.builds.all("peatlight"):
        print(build.name, build.version_name)
"""

from __future__ import annotations

from functools import cached_property
from types import TracebackType
from typing import TYPE_CHECKING

from rampa.client.connection import Connection

if TYPE_CHECKING:
    from rampa.client.agents import AgentsCalls
    from rampa.client.bisects import BisectsCalls
    from rampa.client.board import BoardCalls
    from rampa.client.builds.calls import BuildsCalls
    from rampa.client.calendar import CalendarCalls
    from rampa.client.channels import ChannelsCalls
    from rampa.client.delivery.calls import DeliveryCalls
    from rampa.client.devices.calls import DevicesCalls
    from rampa.client.events import EventsCalls
    from rampa.client.feedback import FeedbackCalls
    from rampa.client.health import HealthCalls
    from rampa.client.letters import LettersCalls
    from rampa.client.listings.calls import ListingsCalls
    from rampa.client.people.calls import PeopleCalls
    from rampa.client.profiles.calls import ProfilesCalls
    from rampa.client.releases import ReleasesCalls
    from rampa.client.reviews import ReviewsCalls
    from rampa.client.rollouts import RolloutsCalls
    from rampa.client.runs import RunsCalls
    from rampa.client.schedule import ScheduleCalls
    from rampa.client.screens import ScreensCalls
    from rampa.client.sign_offs import SignOffsCalls
    from rampa.client.signing.calls import SigningCalls
    from rampa.client.sources.calls import SourcesCalls
    from rampa.client.store import StoreCalls
    from rampa.client.storefronts import StorefrontsCalls
    from rampa.client.studio import StudioCalls
    from rampa.client.submissions import SubmissionsCalls
    from rampa.client.testers import TestersCalls
    from rampa.client.titles import TitlesCalls
    from rampa.client.updates import UpdatesCalls
    from rampa.client.variables import VariablesCalls
    from rampa.client.versions import VersionsCalls
    from rampa.client.webhooks import WebhooksCalls


class Client:
    """Every call of the service, by noun, with wire types in and out. Raises the errors of `rampa.core.errors`.

    A noun's calls are imported when they are first used: all of them take a third of a second, and a command needs one or two.
    """

    def __init__(self, address: str, token: str = "", *, connection: Connection | None = None) -> None:
        self.connection = connection or Connection(address, token)

    @cached_property
    def letters(self) -> LettersCalls:
        from rampa.client.letters import LettersCalls

        return LettersCalls(self.connection)

    @cached_property
    def listings(self) -> ListingsCalls:
        from rampa.client.listings.calls import ListingsCalls

        return ListingsCalls(self.connection)

    @cached_property
    def storefronts(self) -> StorefrontsCalls:
        from rampa.client.storefronts import StorefrontsCalls

        return StorefrontsCalls(self.connection)

    @cached_property
    def studio(self) -> StudioCalls:
        from rampa.client.studio import StudioCalls

        return StudioCalls(self.connection)

    @cached_property
    def calendar(self) -> CalendarCalls:
        from rampa.client.calendar import CalendarCalls

        return CalendarCalls(self.connection)

    @cached_property
    def reviews(self) -> ReviewsCalls:
        from rampa.client.reviews import ReviewsCalls

        return ReviewsCalls(self.connection)

    @cached_property
    def submissions(self) -> SubmissionsCalls:
        from rampa.client.submissions import SubmissionsCalls

        return SubmissionsCalls(self.connection)

    @cached_property
    def people(self) -> PeopleCalls:
        from rampa.client.people.calls import PeopleCalls

        return PeopleCalls(self.connection)

    @cached_property
    def titles(self) -> TitlesCalls:
        from rampa.client.titles import TitlesCalls

        return TitlesCalls(self.connection)

    @cached_property
    def profiles(self) -> ProfilesCalls:
        from rampa.client.profiles.calls import ProfilesCalls

        return ProfilesCalls(self.connection)

    @cached_property
    def builds(self) -> BuildsCalls:
        from rampa.client.builds.calls import BuildsCalls

        return BuildsCalls(self.connection)

    @cached_property
    def board(self) -> BoardCalls:
        from rampa.client.board import BoardCalls

        return BoardCalls(self.connection)

    @cached_property
    def health(self) -> HealthCalls:
        from rampa.client.health import HealthCalls

        return HealthCalls(self.connection)

    @cached_property
    def bisects(self) -> BisectsCalls:
        from rampa.client.bisects import BisectsCalls

        return BisectsCalls(self.connection)

    @cached_property
    def releases(self) -> ReleasesCalls:
        from rampa.client.releases import ReleasesCalls

        return ReleasesCalls(self.connection)

    @cached_property
    def schedule(self) -> ScheduleCalls:
        from rampa.client.schedule import ScheduleCalls

        return ScheduleCalls(self.connection)

    @cached_property
    def rollouts(self) -> RolloutsCalls:
        from rampa.client.rollouts import RolloutsCalls

        return RolloutsCalls(self.connection)

    @cached_property
    def channels(self) -> ChannelsCalls:
        from rampa.client.channels import ChannelsCalls

        return ChannelsCalls(self.connection)

    @cached_property
    def delivery(self) -> DeliveryCalls:
        from rampa.client.delivery.calls import DeliveryCalls

        return DeliveryCalls(self.connection)

    @cached_property
    def devices(self) -> DevicesCalls:
        from rampa.client.devices.calls import DevicesCalls

        return DevicesCalls(self.connection)

    @cached_property
    def testers(self) -> TestersCalls:
        from rampa.client.testers import TestersCalls

        return TestersCalls(self.connection)

    @cached_property
    def screens(self) -> ScreensCalls:
        from rampa.client.screens import ScreensCalls

        return ScreensCalls(self.connection)

    @cached_property
    def sign_offs(self) -> SignOffsCalls:
        from rampa.client.sign_offs import SignOffsCalls

        return SignOffsCalls(self.connection)

    @cached_property
    def feedback(self) -> FeedbackCalls:
        from rampa.client.feedback import FeedbackCalls

        return FeedbackCalls(self.connection)

    @cached_property
    def webhooks(self) -> WebhooksCalls:
        from rampa.client.webhooks import WebhooksCalls

        return WebhooksCalls(self.connection)

    @cached_property
    def events(self) -> EventsCalls:
        from rampa.client.events import EventsCalls

        return EventsCalls(self.connection)

    @cached_property
    def runs(self) -> RunsCalls:
        from rampa.client.runs import RunsCalls

        return RunsCalls(self.connection)

    @cached_property
    def agents(self) -> AgentsCalls:
        from rampa.client.agents import AgentsCalls

        return AgentsCalls(self.connection)

    @cached_property
    def signing(self) -> SigningCalls:
        from rampa.client.signing.calls import SigningCalls

        return SigningCalls(self.connection)

    @cached_property
    def versions(self) -> VersionsCalls:
        from rampa.client.versions import VersionsCalls

        return VersionsCalls(self.connection)

    @cached_property
    def sources(self) -> SourcesCalls:
        from rampa.client.sources.calls import SourcesCalls

        return SourcesCalls(self.connection)

    @cached_property
    def variables(self) -> VariablesCalls:
        from rampa.client.variables import VariablesCalls

        return VariablesCalls(self.connection)

    @cached_property
    def store(self) -> StoreCalls:
        from rampa.client.store import StoreCalls

        return StoreCalls(self.connection)

    @cached_property
    def updates(self) -> UpdatesCalls:
        from rampa.client.updates import UpdatesCalls

        return UpdatesCalls(self.connection)

    def __enter__(self) -> Client:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.connection.close()

    def fetch(self, path: str, headers: dict[str, str] | None = None) -> bytes:
        """Plain bytes of an address."""
        return self.connection.request("GET", path, headers=headers or {}).content
