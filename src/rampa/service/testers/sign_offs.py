"""Play sign-offs: checklists, a tester's own word, what it comes to."""

from __future__ import annotations

from flask import Response, request

from rampa.operations.base import Act, Services
from rampa.operations.testers import sign_offs, summary
from rampa.operations.titles import checklists
from rampa.schema import sign_offs as wire
from rampa.schema.builds.builds import BuildPath
from rampa.schema.releases import ReleasePath
from rampa.schema.testers import TestBuildPath
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource
from rampa.service.testers.testing import BUILD

TITLE = "/titles/<string:title>"
OWN = BUILD + "/sign-offs/<string:checklist>"
JPEG = "image/jpeg"


def resource(services: Services) -> Resource:
    api = Resource("sign-offs")

    @api.call("GET", TITLE + "/checklists", Act.READ, wire.Checklists)
    def get_checklists(path: TitlePath) -> wire.Checklists:
        """A title's checklists, as their file says them and read."""
        return checklists.get_checklists(services, path.title)

    @api.call("PUT", TITLE + "/checklists", Act.CHANGE_DOCUMENT, wire.Checklists)
    def set_checklists(path: TitlePath, body: wire.ChecklistsIn) -> wire.Checklists:
        """Set them, in place of the ones before; what was ticked stays."""
        return checklists.set_checklists(services, current_actor(), path.title, body.text)

    @api.call("GET", TITLE + "/builds/<int:build>/sign-offs", Act.READ, wire.BuildSignOffs)
    def list_sign_offs(path: BuildPath) -> wire.BuildSignOffs:
        """Who played a build, on what, and which points failed."""
        return summary.of_build(services, path.title, path.build)

    @api.call("GET", TITLE + "/releases/<int:release>/sign-offs", Act.READ, wire.ReleaseSignOffs)
    def list_release_sign_offs(path: ReleasePath) -> wire.ReleaseSignOffs:
        """The same of every build of a release."""
        return summary.of_release(services, path.title, path.release)

    _own(api, services)
    return api


def _own(api: Resource, services: Services) -> None:
    @api.call("GET", BUILD + "/sign-offs", Act.TEST, wire.OwnSignOffs)
    def list_own_sign_offs(path: TestBuildPath) -> wire.OwnSignOffs:
        """The checklists that are for a build, and what you have ticked; what failed last time comes first."""
        return sign_offs.own(services, current_actor(), path.title, path.channel, path.build)

    @api.call("PUT", OWN, Act.TEST, wire.OwnSignOff)
    def save_sign_off(path: wire.SignOffPath, body: wire.SignOffIn) -> wire.OwnSignOff:
        """Keep your sign-off as far as it is, or finish it."""
        at = (path.title, path.channel, path.build, path.checklist)
        return sign_offs.save(services, current_actor(), *at, body)

    @api.call("POST", OWN + "/reopen", Act.TEST, wire.OwnSignOff)
    def reopen_sign_off(path: wire.SignOffPath) -> wire.OwnSignOff:
        """Look again: your word counts for nothing until it is finished anew."""
        return sign_offs.reopen(services, current_actor(), path.title, path.channel, path.build, path.checklist)

    @api.call("POST", BUILD + "/pictures", Act.TEST, wire.MadePicture, status=201, sends="image/*")
    def add_picture(path: TestBuildPath) -> wire.MadePicture:
        """Send a picture: it is made smaller, upright, and loses where it was taken."""
        data = request.stream.read(sign_offs.LARGEST_PICTURE + 1)
        return sign_offs.add_picture(services, current_actor(), path.title, path.channel, path.build, data)

    @api.call("GET", "/testing/pictures/<string:picture>", Act.TEST, JPEG)
    def get_picture(path: wire.PicturePath) -> Response:
        """A picture of yours; for who reads the studio, anybody's."""
        response = Response(sign_offs.get_picture(services, current_actor(), path.picture), content_type=JPEG)
        response.headers["Cache-Control"] = "private, max-age=86400, immutable"
        return response
