"""Grants of a title, and signing builds again with them."""

from __future__ import annotations

from flask import Response

from rampa.operations.base import Act, Services
from rampa.operations.signing import grants
from rampa.schema.builds.builds import BuildPath
from rampa.schema.signing import grants as wire
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

GRANTS = "/titles/<string:title>/grants"
BUILD = "/titles/<string:title>/builds/<int:build>"


def resource(services: Services) -> Resource:
    api = Resource("grants")

    @api.call("GET", GRANTS, Act.READ, wire.Grants)
    def list_grants(path: TitlePath) -> wire.Grants:
        """Grants, newest first, and the builds that must be signed again."""
        return grants.list_grants(services, path.title)

    @api.call("POST", GRANTS, Act.MAKE_GRANT, wire.GrantOut, status=201)
    def make_grant(path: TitlePath, body: wire.NewGrant) -> wire.GrantOut:
        """Sign a list of devices for what a profile builds."""
        return grants.make_grant(services, current_actor(), path.title, body)

    @api.call("GET", BUILD + "/grant", Act.FETCH_BUILD, "application/pkcs7-mime")
    def get_grant(path: BuildPath) -> Response:
        """The grant that a build was signed with (CMS, the list inside)."""
        return Response(grants.get_signed(services, path.title, path.build), content_type="application/pkcs7-mime")

    @api.call("GET", BUILD + "/restriction", Act.FETCH_BUILD, wire.Restriction)
    def get_restriction(path: BuildPath) -> wire.Restriction:
        """Whether a device may run the build only with a grant, and what the grant must name."""
        return grants.get_restriction(services, path.title, path.build)

    @api.call("POST", BUILD + "/re-sign", Act.MAKE_GRANT, wire.ReSigned)
    def re_sign(path: BuildPath, body: wire.ReSignIn) -> wire.ReSigned:
        """Sign a build again, with another grant; nothing is rebuilt."""
        return grants.re_sign(services, current_actor(), path.title, path.build, body)

    return api
