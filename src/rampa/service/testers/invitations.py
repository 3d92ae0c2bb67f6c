"""Inviting testers, and answering an invitation."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.testers import invitations, joining
from rampa.schema import testers as wire
from rampa.schema.common import Page
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

IN_GROUP = "/titles/<string:title>/groups/<string:group>/invitations"
INVITATION = "/titles/<string:title>/invitations/<string:invitation>"


def resource(services: Services) -> Resource:
    api = Resource("invitations")

    @api.call("GET", "/titles/<string:title>/invitations", Act.MANAGE_TESTERS, Page[wire.TesterInvitation])
    def list_invitations(path: TitlePath, query: wire.InvitationQuery) -> Page[wire.TesterInvitation]:
        """Invitations, newest first: who answered, whose letter did not go."""
        return invitations.list_invitations(services, current_actor(), path.title, query)

    @api.call("POST", IN_GROUP + "/preview", Act.MANAGE_TESTERS, wire.InvitePreview)
    def preview_invitations(path: wire.GroupPath, body: wire.AddressesIn) -> wire.InvitePreview:
        """What inviting a list would do: who is new, which lines are wrong and why, whether the seats suffice."""
        return invitations.preview(services, current_actor(), path.title, path.group, body)

    @api.call("POST", IN_GROUP, Act.MANAGE_TESTERS, wire.InvitePreview, status=201)
    def invite_testers(path: wire.GroupPath, body: wire.AddressesIn) -> wire.InvitePreview:
        """Invite everybody new of a list by mail; answers what the preview said."""
        return invitations.invite(services, current_actor(), path.title, path.group, body)

    @api.call("POST", INVITATION + "/resend", Act.MANAGE_TESTERS, wire.TesterInvitation)
    def resend_invitation(path: wire.InvitationPath) -> wire.TesterInvitation:
        """Send it again, with a new link; the earlier one ends."""
        return invitations.resend(services, current_actor(), path.title, path.invitation)

    @api.call("POST", INVITATION + "/withdraw", Act.MANAGE_TESTERS, wire.TesterInvitation)
    def withdraw_invitation(path: wire.InvitationPath) -> wire.TesterInvitation:
        """Withdraw it: its link ends, and its seat is free."""
        return invitations.withdraw(services, current_actor(), path.title, path.invitation)

    _answers(api, services)
    return api


def _answers(api: Resource, services: Services) -> None:
    """For who has the link of a letter."""

    @api.call("POST", "/join/look", Act.OPEN, wire.JoinLook)
    def look_at_invitation(body: wire.JoinIn) -> wire.JoinLook:
        """What an invitation is for."""
        return joining.look(services, body.code)

    @api.call("POST", "/join", Act.OPEN, wire.JoinLook)
    def join(body: wire.JoinAccept) -> wire.JoinLook:
        """Accept an invitation, with a name and a password for who has no account yet."""
        return joining.accept(services, body)

    @api.call("POST", "/join/decline", Act.OPEN, None)
    def decline_invitation(body: wire.JoinIn) -> None:
        """Decline an invitation."""
        joining.decline(services, body.code)
