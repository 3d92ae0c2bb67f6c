"""Profiles: the settings' table, resolved, matrix, compared, checked; texts that are no revision yet; pictures."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.profiles import pictures, profiles
from rampa.schema.profiles import pictures as pictures_wire
from rampa.schema.profiles import profiles as wire
from rampa.schema.profiles.of_core import settings_out
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource


def resource(services: Services) -> Resource:
    api = Resource("profiles")

    @api.call("GET", "/settings", Act.READ, wire.SettingsOut)
    def get_settings() -> wire.SettingsOut:
        """Every setting of a profile document, and what each platform allows."""
        return settings_out()

    @api.call("GET", "/titles/<string:title>/profiles/<string:profile>", Act.READ, wire.ResolvedOut)
    def get_profile(path: wire.ProfilePath, query: wire.AtRevision) -> wire.ResolvedOut:
        """One profile, resolved: every setting with its value and origin, and its findings."""
        return profiles.get_resolved(services, path.title, path.profile, query.revision)

    @api.call("GET", "/titles/<string:title>/matrix", Act.READ, wire.MatrixOut)
    def get_matrix(path: TitlePath, query: wire.AtRevision) -> wire.MatrixOut:
        """Settings x profiles, with what differs, the odd ones out and all findings."""
        return profiles.get_matrix(services, path.title, query.revision)

    @api.call("GET", "/titles/<string:title>/check", Act.READ, wire.CheckOut)
    def check_profiles(path: TitlePath, query: wire.AtRevision) -> wire.CheckOut:
        """All findings of all profiles, blockers first, each with the edit that fixes it where a machine can say one."""
        return profiles.get_check(services, path.title, query.revision)

    @api.call("GET", "/titles/<string:title>/comparison", Act.READ, wire.ComparisonOut)
    def compare_profiles(path: TitlePath, query: wire.CompareQuery) -> wire.ComparisonOut:
        """What differs between two profiles, revisions of one, or a profile and the one that made a build."""
        return profiles.get_comparison(services, path.title, query.left, query.right)

    @api.call("POST", "/documents/read", Act.READ, wire.TextOut)
    def read_text(body: wire.TextIn) -> wire.TextOut:
        """A text, with edits made when there are any: its problems, or its matrix and findings. Nothing is stored."""
        return profiles.read_text(services, body)

    @api.call("POST", "/documents/propose", Act.READ, pictures_wire.ProposalOut)
    def propose_document(body: pictures_wire.FolderIn) -> pictures_wire.ProposalOut:
        """A first document for what a folder holds; each line says why. Nothing is stored."""
        return pictures.propose(services, current_actor(), body)

    @api.call("POST", "/pictures/sets", Act.READ, pictures_wire.PicturesOut)
    def make_picture_sets(body: pictures_wire.PictureIn) -> pictures_wire.PicturesOut:
        """From one picture, the icons or the opening picture of each platform. Nothing is stored."""
        return pictures.make_sets(body)

    return api
