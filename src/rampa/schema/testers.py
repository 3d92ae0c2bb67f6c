"""Who tests: groups, invitations, access to channels; and what a tester sees."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from rampa.core.testers.invitation import InvitationState
from rampa.schema.channels import ChannelPath
from rampa.schema.common import Action, Id, Number, PageQuery, Query, Slug, SlugOrNone, Wire
from rampa.schema.people import Email, Password
from rampa.schema.titles.titles import TitlePath

Seats = Annotated[int, Field(ge=0, le=1_000_000)]
Search = Annotated[str, StringConstraints(max_length=200, pattern=r"^[^\x00]*$")]
LinkCode = Annotated[str, StringConstraints(max_length=100, pattern=r"^[A-Za-z0-9_-]+$")]


class GroupPath(TitlePath):
    group: Slug


class MemberPath(GroupPath):
    person: Id


class TesterPath(TitlePath):
    person: Id


class InvitationPath(TitlePath):
    invitation: Id


class AccessPath(ChannelPath):
    access: Id


class NewGroup(Wire):
    """`seats`: the most people in it, invited ones among them; 0 for no limit."""

    name: Slug
    seats: Seats = 0


class GroupChange(Wire):
    """What is to change; the rest stays."""

    name: Slug | None = None
    seats: Seats | None = None


class GroupAccess(Wire):
    channel: str
    until: dt.datetime | None
    ended: bool


class Group(Wire):
    """`members` are in it; `invited` have a link that they can still use."""

    name: str
    seats: int
    members: int
    invited: int
    channels: list[GroupAccess]
    created_at: dt.datetime


class Groups(Wire):
    items: list[Group]


class AddressesIn(Wire):
    """A pasted list or CSV: one person a line. `leave_out_mistakes`: invite the others all the same."""

    addresses: Annotated[str, StringConstraints(max_length=8_000_000, pattern=r"^[^\x00]*$")]
    leave_out_mistakes: bool = False


class ListedPerson(Wire):
    """`state`: invited by this list; there already, in the group; again, for who has an open invitation: its link stays."""

    line: int
    email: str
    name: str
    state: Literal["new", "member", "invited"]


class LineMistake(Wire):
    line: int
    text: str
    said: str


class InvitePreview(Wire):
    """What inviting a list would do. At most 200 people and mistakes are listed; the figures count all."""

    new: int
    members: int
    invited: int
    wrong: int
    people: list[ListedPerson]
    mistakes: list[LineMistake]
    seats: int
    free: int
    """Seats that are left now; 0 with no limit."""
    fits: bool


class TesterInvitation(Wire):
    """`state` as the person left it; `expired`: open, and its link is over. `unsent`: why the letter did not go yet."""

    id: str
    email: str
    name: str
    group: str
    state: InvitationState
    expired: bool
    expires_at: dt.datetime
    sent_at: dt.datetime | None
    unsent: str
    invited_by: str
    created_at: dt.datetime
    allowed_actions: list[Action]


class InvitationQuery(PageQuery):
    """`state` as in an answer, or `expired`; `search` in addresses and names."""

    group: SlugOrNone = ""
    state: Literal["", "open", "accepted", "declined", "withdrawn", "expired"] = ""
    search: Search = ""


class TesterQuery(PageQuery):
    """`search` in addresses and names; `group`: only its members."""

    group: SlugOrNone = ""
    search: Search = ""


class Tester(Wire):
    """`channels`: where they may install from now, by group or as themselves."""

    id: str
    name: str
    email: str
    role: str
    groups: list[str]
    channels: list[str]
    devices: int
    last_seen_at: dt.datetime | None
    """When a device of theirs last asked."""


class AccessIn(Wire):
    """For a group, or for one person by their address. `until` a moment; without one it does not end by itself."""

    group: SlugOrNone = ""
    email: Email | None = None
    until: dt.datetime | None = None


class Access(Wire):
    id: str
    channel: str
    group: str
    """Empty where it is a person's."""
    person: str
    email: str
    people: int
    until: dt.datetime | None
    ended: bool
    given_by: str
    created_at: dt.datetime


class AccessList(Wire):
    items: list[Access]


class JoinIn(Wire):
    """`code` from an invitation's link, behind its #."""

    code: LinkCode


class JoinLook(Wire):
    """What a link invites to. `known`: this address has an account here, and needs no password now."""

    studio: str
    title: str
    group: str
    email: str
    name: str
    invited_by: str
    expires_at: dt.datetime
    known: bool


class JoinAccept(Wire):
    """`name` and `password` for who has no account here yet."""

    code: LinkCode
    name: Annotated[str, StringConstraints(max_length=100, pattern=r"^[^\x00-\x1f\x7f]*$")] = ""
    password: Password | None = None


class TesterNote(Wire):
    language: str
    text: str


class TestBuild(Wire):
    """A build that can be installed. `size` of its bundle, bytes."""

    build: int
    version_name: str
    version_code: int
    platform: str
    platform_title: str
    size: int
    placed_at: dt.datetime
    notes: list[TesterNote]


class TestChannel(Wire):
    channel: str
    until: dt.datetime | None
    """When the access ends; null: not by itself."""
    builds: list[TestBuild]


class TestTitle(Wire):
    title: str
    name: str
    channels: list[TestChannel]


class TestDevice(Wire):
    """One of one's own. `cannot_run`: builds on its channel that came before it was known to them."""

    id: str
    title: str
    title_name: str
    channel: str
    name: str
    platform: str
    platform_title: str
    form: str
    level: str
    simulated: bool
    build: int | None
    version_name: str
    registered_at: dt.datetime
    last_seen_at: dt.datetime | None
    cannot_run: list[int]


class TestDevices(Wire):
    items: list[TestDevice]


class Testing(Wire):
    """What the one who asks may install."""

    studio: str
    titles: list[TestTitle]


class TestBuildPath(ChannelPath):
    build: Number


class TestDevicePath(Query):
    device: Id


class InstallPage(Wire):
    """One build for who would install it. `way`: `file`, it is handed out; `register`, a device must be registered first;
    `waiting`, the devices that are registered came after it was signed; `storefront`, no device installs it by itself. `picture`:
    the page's address as a QR code (SVG)."""

    title: str
    title_name: str
    channel: str
    build: TestBuild
    others: list[TestBuild]
    file: str
    kind: str
    sha256: str
    way: Literal["file", "register", "waiting", "storefront"]
    link: str
    picture: str


class DownloadAddress(Wire):
    """Good until `expires_at`, for whoever has it; the file in it is the bundle as it was signed."""

    address: str
    expires_at: dt.datetime


class DownloadPath(Query):
    ticket: Annotated[str, StringConstraints(max_length=200, pattern=r"^[A-Za-z0-9_-]+$")]
    file: Annotated[str, StringConstraints(max_length=300)]


class RegistrationCode(Wire):
    """Registers one device, once, until `expires_at`. `link` opens the page that registers the device that opens it."""

    code: str
    link: str
    picture: str
    expires_at: dt.datetime
    title: str
    channel: str


class MemberIn(Wire):
    email: Email
