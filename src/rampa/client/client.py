"""The client library: what people script with. The command line and agents use nothing else.

from rampa.client import Client
with Client("http://127.0.0.1:8600", token) as rampa:
    for build in rampa.builds.all("peatlight"):
        print(build.name, build.version_name)
"""

from __future__ import annotations

from types import TracebackType

from rampa.client.agents import AgentsCalls
from rampa.client.builds.calls import BuildsCalls
from rampa.client.channels import ChannelsCalls
from rampa.client.connection import Connection
from rampa.client.devices.calls import DevicesCalls
from rampa.client.events import EventsCalls
from rampa.client.people.calls import PeopleCalls
from rampa.client.profiles.calls import ProfilesCalls
from rampa.client.runs import RunsCalls
from rampa.client.signing.calls import SigningCalls
from rampa.client.sources.calls import SourcesCalls
from rampa.client.store import StoreCalls
from rampa.client.titles import TitlesCalls
from rampa.client.updates import UpdatesCalls
from rampa.client.variables import VariablesCalls
from rampa.client.versions import VersionsCalls


class Client:
    """Every call of the service, by noun, with wire types in and out. Raises the errors of `rampa.core.errors`."""

    def __init__(self, address: str, token: str = "", *, connection: Connection | None = None) -> None:
        self.connection = connection or Connection(address, token)
        self.people = PeopleCalls(self.connection)
        self.titles = TitlesCalls(self.connection)
        self.profiles = ProfilesCalls(self.connection)
        self.builds = BuildsCalls(self.connection)
        self.channels = ChannelsCalls(self.connection)
        self.devices = DevicesCalls(self.connection)
        self.events = EventsCalls(self.connection)
        self.runs = RunsCalls(self.connection)
        self.agents = AgentsCalls(self.connection)
        self.signing = SigningCalls(self.connection)
        self.versions = VersionsCalls(self.connection)
        self.sources = SourcesCalls(self.connection)
        self.variables = VariablesCalls(self.connection)
        self.store = StoreCalls(self.connection)
        self.updates = UpdatesCalls(self.connection)

    def __enter__(self) -> Client:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.connection.close()

    def fetch(self, path: str, headers: dict[str, str] | None = None) -> bytes:
        """Plain bytes of an address."""
        return self.connection.request("GET", path, headers=headers or {}).content
