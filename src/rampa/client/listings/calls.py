"""Listings: states, one's own draft, findings, pictures, links, the rating."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TypeVar

from pydantic import BaseModel

from rampa.client.calls import API, JSON, Calls, json_of
from rampa.core.devices.screen import Form
from rampa.schema import listings as wire

M = TypeVar("M", bound=BaseModel)


class ListingsCalls(Calls):
    """`client.listings`."""

    def get(self, title: str, number: int | None = None) -> wire.ListingOut:
        """The newest state, or that one."""
        return self.connection.get(wire.ListingOut, _at(title, "" if number is None else f"/states/{number}"))

    def states(self, title: str) -> list[wire.ListingState]:
        return self.connection.get(wire.ListingStates, _at(title, "/states")).items

    def compare(self, title: str, number: int, against: int | None = None) -> wire.ListingDifference:
        asked = {} if against is None else {"against": against}
        return self.connection.get(wire.ListingDifference, _at(title, f"/states/{number}/change"), **asked)

    def add(self, title: str, asked: wire.ListingIn, seen: int | None = None) -> wire.ListingOut:
        """`seen`: the state that it was made from; None for whichever is there."""
        return self._changed(wire.ListingOut, title, "", asked, seen)

    def draft(self, title: str) -> wire.ListingDraft:
        return self.connection.get(wire.ListingDraft, _at(title, "/draft"))

    def edit(
        self, title: str, base: int, edits: Iterable[wire.ListingEditIn], seen: int | None = None
    ) -> wire.ListingDraft:
        """`seen`: the draft's version, 0 for none; None for whichever is there."""
        asked = wire.ListingEditsIn(base=base, edits=list(edits))
        return self._changed(wire.ListingDraft, title, "/draft/edits", asked, seen)

    def drop_draft(self, title: str) -> None:
        self.connection.request("DELETE", _at(title, "/draft"))

    def review(self, title: str) -> wire.ListingReview:
        return self.connection.get(wire.ListingReview, _at(title, "/draft/review"))

    def rebase(self, title: str, onto: int) -> wire.ListingDraft:
        return self.connection.post(wire.ListingDraft, _at(title, "/draft/rebase"), wire.RebaseIn(onto=onto))

    def save(self, title: str, message: str = "", seen: int | None = None) -> wire.ListingOut:
        return self._changed(wire.ListingOut, title, "/draft/save", wire.SaveIn(message=message), seen)

    def check(self, title: str, draft: bool = False) -> wire.ListingCheck:
        return self.connection.get(wire.ListingCheck, _at(title, "/check"), draft=str(draft).lower())

    def shown(self, title: str, storefront: str, language: str, form: Form, draft: bool = False) -> wire.ShownOut:
        asked = {"storefront": storefront, "language": language, "form": str(form), "draft": str(draft).lower()}
        return self.connection.get(wire.ShownOut, _at(title, "/shown"), **asked)

    def add_picture(self, title: str, data: bytes) -> wire.MadeListingPicture:
        headers = {"Content-Type": "image/*"}
        return self.connection.send(wire.MadeListingPicture, "POST", _at(title, "/pictures"), data, headers)

    def picture(self, title: str, digest: str, storefront: str = "", form: str = "") -> bytes:
        """As it was sent, or in the size of a storefront."""
        asked = {"storefront": storefront, "form": form}
        said = "&".join(f"{name}={value}" for name, value in asked.items() if value)
        return self._fetch(_at(title, f"/pictures/{digest}{'?' if said else ''}{said}"))

    def links(self, title: str) -> wire.LinksOut:
        return self.connection.get(wire.LinksOut, _at(title, "/links"))

    def look_at_links(self, title: str) -> wire.LinksOut:
        return self.connection.post(wire.LinksOut, _at(title, "/links/look"))

    def rating(self, title: str) -> wire.RatingOut:
        return self.connection.get(wire.RatingOut, _at(title, "/rating"))

    def affirm(self, title: str, number: int, name: str) -> wire.RatingOut:
        asked = wire.AffirmIn(number=number, name=name)
        return self.connection.post(wire.RatingOut, _at(title, "/rating/affirm"), asked)

    def rules(self) -> wire.AllListingRules:
        return self.connection.get(wire.AllListingRules, f"{API}/listing-rules")

    def source_archive(self, title: str, build: int) -> Iterator[bytes]:
        """A tar in zstd, of the commit that the build was made of."""
        return self.connection.stream(f"{API}/titles/{title}/builds/{build}/source-archive")

    def _changed(self, kind: type[M], title: str, path: str, asked: BaseModel, seen: int | None) -> M:
        match = "*" if seen is None else f'"{seen}"'
        return self.connection.send(kind, "POST", _at(title, path), json_of(asked), JSON | {"If-Match": match})


def _at(title: str, path: str) -> str:
    return f"{API}/titles/{title}/listing{path}"
