"""Releases: builds of one version over platforms, placed and grown together."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.releases import notes, place, releases, rollouts
from rampa.schema import releases as wire
from rampa.schema.common import Page
from rampa.schema.rollouts import HoldIn, PlanIn
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import (
    ChangeHeaders,
    CreateFromHeaders,
    CreateHeaders,
    Resource,
    expected_version,
    once_from,
)

RELEASES = "/titles/<string:title>/releases"
RELEASE = RELEASES + "/<int:release>"
ON = RELEASE + "/channels/<string:channel>"


def resource(services: Services) -> Resource:
    api = Resource("releases")

    @api.call("GET", RELEASES, Act.READ, wire.ReleasePage)
    def list_releases(path: TitlePath, query: wire.ReleaseQuery) -> Page[wire.ReleaseSummary]:
        """A title's releases, newest first."""
        return releases.list_releases(services, path.title, query)

    @api.call("POST", RELEASES, Act.MAKE_RELEASE, wire.Release, status=201)
    def make_release(path: TitlePath, body: wire.NewRelease, header: CreateHeaders) -> wire.Release:
        """Make a release of builds of one version, of a run group, or of a commit."""
        return releases.make_release(services, current_actor(), path.title, body, once_from(header))

    @api.call("GET", RELEASE, Act.READ, wire.Release)
    def get_release(path: wire.ReleasePath) -> tuple[wire.Release, int]:
        """One release: its lines, which lag or were left out and why, its notes. The ETag is the notes' version."""
        found = releases.get_release(services, current_actor(), path.title, path.release)
        return found, notes.notes_version(services, path.title, path.release)

    @api.call("POST", RELEASE + "/builds", Act.MAKE_RELEASE, wire.Release)
    def add_to_release(path: wire.ReleasePath, body: wire.AddBuild) -> wire.Release:
        """Add a build of a line that has none yet."""
        return releases.add_build(services, current_actor(), path.title, path.release, body)

    @api.call("PUT", RELEASE + "/left-out", Act.MAKE_RELEASE, wire.Release)
    def leave_out(path: wire.ReleasePath, body: wire.LeaveOut) -> wire.Release:
        """Say why a line goes without; an empty reason expects it again."""
        return releases.leave_out(services, current_actor(), path.title, path.release, body)

    @api.call("PUT", RELEASE + "/notes", Act.MAKE_RELEASE, wire.Release)
    def write_notes(path: wire.ReleasePath, body: wire.ReleaseNote, header: ChangeHeaders) -> tuple[wire.Release, int]:
        """Write notes for players or testers in one language. If-Match: the version that you saw."""
        expected = expected_version(header.if_match, needed=False)
        return notes.write(services, current_actor(), path.title, path.release, body, expected)

    @api.call("GET", ON + "/notes-draft", Act.READ, wire.NotesDraft)
    def draft_notes(path: wire.ReleaseChannelPath) -> wire.NotesDraft:
        """What the commits since the channel's live build say, to begin notes from."""
        return notes.draft(services, current_actor(), path.title, path.release, path.channel)

    @api.call("POST", ON + "/preview", Act.READ, wire.ReleasePreview)
    def preview_release(path: wire.ReleaseChannelPath) -> tuple[wire.ReleasePreview, str]:
        """What placing all of it would do, line by line. Changes nothing."""
        seen = place.preview_release(services, current_actor(), path.title, path.release, path.channel)
        return seen, seen.etag

    @api.call("POST", ON + "/placements", Act.PLACE, wire.Release, status=201)
    def place_release(
        path: wire.ReleaseChannelPath, body: wire.PlaceReleaseIn, header: CreateFromHeaders
    ) -> wire.Release:
        """Place all lines or none. If-Match: the ETag of the preview."""
        expected = expected_version(header.if_match, needed=True)
        actor, key = current_actor(), once_from(header)
        return place.place_release(services, actor, path.title, path.release, path.channel, body, expected, key)

    _rollouts(api, services)
    return api


def _rollouts(api: Resource, services: Services) -> None:
    @api.call("POST", ON + "/grow", Act.ROLL_OUT, wire.Rollouts)
    def grow_release(path: wire.ReleaseChannelPath, body: wire.GrowReleaseIn) -> wire.Rollouts:
        """Let more devices of every line get it."""
        actor = current_actor()
        done = rollouts.grow(services, actor, path.title, path.release, path.channel, body.share)
        return wire.Rollouts(items=done)

    @api.call("PUT", ON + "/plan", Act.ROLL_OUT, wire.Rollouts)
    def plan_release(path: wire.ReleaseChannelPath, body: PlanIn) -> wire.Rollouts:
        """Say how all its lines grow by themselves from now on."""
        done = rollouts.plan(services, current_actor(), path.title, path.release, path.channel, body.plan)
        return wire.Rollouts(items=done)

    @api.call("POST", ON + "/hold", Act.ROLL_OUT, wire.Rollouts)
    def hold_release(path: wire.ReleaseChannelPath, body: HoldIn) -> wire.Rollouts:
        """Stop all its lines where they are."""
        done = rollouts.hold(services, current_actor(), path.title, path.release, path.channel, body.why)
        return wire.Rollouts(items=done)

    @api.call("POST", ON + "/go-on", Act.ROLL_OUT, wire.Rollouts)
    def go_on_with_release(path: wire.ReleaseChannelPath) -> wire.Rollouts:
        """Let all its held lines go on."""
        done = rollouts.go_on(services, current_actor(), path.title, path.release, path.channel)
        return wire.Rollouts(items=done)

    @api.call("POST", ON + "/withdraw", Act.WITHDRAW, wire.Rollouts)
    def withdraw_release(path: wire.ReleaseChannelPath) -> wire.Rollouts:
        """Take all its lines off the channel."""
        done = rollouts.withdraw(services, current_actor(), path.title, path.release, path.channel)
        return wire.Rollouts(items=done)

    @api.call("POST", ON + "/roll-back/preview", Act.READ, wire.RollBackOfRelease)
    def preview_roll_back_to_release(path: wire.ReleaseChannelPath) -> tuple[wire.RollBackOfRelease, str]:
        """What rolling the channel back to this release would do. Changes nothing."""
        seen = rollouts.preview_roll_back(services, current_actor(), path.title, path.release, path.channel)
        return seen, seen.etag

    @api.call("POST", ON + "/roll-back", Act.ROLL_OUT, wire.Rollouts, status=201)
    def roll_back_to_release(path: wire.ReleaseChannelPath, header: ChangeHeaders) -> wire.Rollouts:
        """Roll the channel back to this release, all lines or none. If-Match: the ETag of the preview."""
        expected = expected_version(header.if_match, needed=True)
        actor = current_actor()
        done = rollouts.roll_back_to(services, actor, path.title, path.release, path.channel, expected)
        return wire.Rollouts(items=done)
