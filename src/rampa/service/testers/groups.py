"""Groups of testers, who is in them, and who may install from which channel."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.testers import access, groups, testers
from rampa.schema import testers as wire
from rampa.schema.channels import ChannelPath
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

GROUPS = "/titles/<string:title>/groups"
GROUP = GROUPS + "/<string:group>"
ACCESS = "/titles/<string:title>/channels/<string:channel>/access"


def resource(services: Services) -> Resource:
    api = Resource("testers")

    @api.call("GET", "/titles/<string:title>/testers", Act.MANAGE_TESTERS, Page[wire.Tester])
    def list_testers(path: TitlePath, query: wire.TesterQuery) -> Page[wire.Tester]:
        """Who tests a title: groups, channels, devices."""
        return testers.list_testers(services, path.title, query)

    @api.call("POST", "/titles/<string:title>/testers/<string:person>/withdraw", Act.MANAGE_TESTERS, None)
    def withdraw_tester(path: wire.TesterPath) -> None:
        """Take a tester out of all of a title: groups, channels, devices, open invitations."""
        testers.withdraw_tester(services, current_actor(), path.title, path.person)

    _groups(api, services)
    _access(api, services)
    return api


def _groups(api: Resource, services: Services) -> None:
    @api.call("GET", GROUPS, Act.MANAGE_TESTERS, wire.Groups)
    def list_groups(path: TitlePath) -> wire.Groups:
        """A title's groups, with seats and channels."""
        return groups.list_groups(services, path.title)

    @api.call("POST", GROUPS, Act.MANAGE_TESTERS, wire.Groups, status=201)
    def add_group(path: TitlePath, body: wire.NewGroup) -> wire.Groups:
        """Make a group; answers all of them."""
        return groups.add_group(services, current_actor(), path.title, body)

    @api.call("PATCH", GROUP, Act.MANAGE_TESTERS, wire.Groups)
    def change_group(path: wire.GroupPath, body: wire.GroupChange) -> wire.Groups:
        """Give a group another name, or another number of seats."""
        return groups.change_group(services, current_actor(), path.title, path.group, body)

    @api.call("DELETE", GROUP, Act.MANAGE_TESTERS, wire.Groups)
    def remove_group(path: wire.GroupPath) -> wire.Groups:
        """Remove a group: its members lose what they had by it alone."""
        return groups.remove_group(services, current_actor(), path.title, path.group)

    @api.call("POST", GROUP + "/members", Act.MANAGE_TESTERS, wire.Groups)
    def add_member(path: wire.GroupPath, body: wire.MemberIn) -> wire.Groups:
        """Put somebody who has an account into a group, without a letter."""
        return groups.add_member(services, current_actor(), path.title, path.group, body)

    @api.call("DELETE", GROUP + "/members/<string:person>", Act.MANAGE_TESTERS, wire.Groups)
    def remove_member(path: wire.MemberPath) -> wire.Groups:
        """Take somebody out of a group."""
        return groups.remove_member(services, current_actor(), path.title, path.group, path.person)


def _access(api: Resource, services: Services) -> None:
    @api.call("GET", ACCESS, Act.MANAGE_TESTERS, wire.AccessList)
    def list_access(path: ChannelPath) -> wire.AccessList:
        """Who may install from a channel, and until when."""
        return access.list_access(services, path.title, path.channel)

    @api.call("POST", ACCESS, Act.MANAGE_TESTERS, wire.AccessList, status=201)
    def give_access(path: ChannelPath, body: wire.AccessIn) -> wire.AccessList:
        """Give a group or a person access to a channel, until a moment if you want; given again, it ends when this says."""
        return access.give_access(services, current_actor(), path.title, path.channel, body)

    @api.call("DELETE", ACCESS + "/<string:access>", Act.MANAGE_TESTERS, wire.AccessList)
    def take_access(path: wire.AccessPath) -> wire.AccessList:
        """Take access away, at once."""
        return access.take_access(services, current_actor(), path.title, path.channel, path.access)
