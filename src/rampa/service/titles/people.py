"""Roles of people at one title."""

from __future__ import annotations

from rampa.operations.base import Act, Services
from rampa.operations.titles import people
from rampa.schema import title_people as wire
from rampa.schema.titles.titles import TitlePath
from rampa.service.base.access import current_actor
from rampa.service.base.resource import Resource

PEOPLE = "/titles/<string:title>/people"


def resource(services: Services) -> Resource:
    api = Resource("title_people")

    @api.call("GET", PEOPLE, Act.READ, wire.TitlePeople)
    def list_title_people(path: TitlePath) -> wire.TitlePeople:
        """Who may do what at this title: everybody who reads the studio, some with a role of their own here."""
        return people.list_title_people(services, current_actor(), path.title)

    @api.call("PUT", f"{PEOPLE}/<string:person>", Act.SET_TITLE_ROLE, wire.TitlePeople)
    def set_title_role(path: wire.TitlePersonPath, body: wire.TitleRoleIn) -> wire.TitlePeople:
        """Give a person a role at this title: more or less than they have in the studio. It holds at once."""
        return people.set_title_role(services, current_actor(), path.title, path.person, body.role)

    @api.call("DELETE", f"{PEOPLE}/<string:person>", Act.SET_TITLE_ROLE, wire.TitlePeople)
    def drop_title_role(path: wire.TitlePersonPath) -> wire.TitlePeople:
        """End a person's role at this title: they are here what they are in the studio."""
        return people.drop_title_role(services, current_actor(), path.title, path.person)

    return api
