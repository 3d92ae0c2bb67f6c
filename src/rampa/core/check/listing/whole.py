"""Checking a listing against what each storefront asks of one: all findings at once, with a fix where a machine knows one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from rampa.core.check.findings import SEVERITIES
from rampa.core.check.listing.pictures import check_pictures
from rampa.core.check.listing.texts import check_texts
from rampa.core.listing.edits import ListingEdit
from rampa.core.listing.finding import ListingFinding
from rampa.core.listing.layout import FACTS
from rampa.core.listing.licence import read_licence
from rampa.core.listing.link import Link, LinkState
from rampa.core.listing.listing import Listing, Said
from rampa.core.listing.rating import QUESTIONS, answers_digest, missing
from rampa.core.listing.reader import ListingProblem
from rampa.core.listing.rules import CATEGORIES, LINKS, ListingRules
from rampa.core.listing.table import LISTING_RULES
from rampa.core.platform.storefronts import STOREFRONTS


@dataclass(frozen=True)
class Affirmed:
    """Who said that the rating's answers are true. `stale`: a clause why it must be said again, empty where it need not."""

    person: str
    answers: bytes
    stale: str = ""


@dataclass(frozen=True)
class Surroundings:
    """What a listing is checked beside. `languages` are those that the title itself speaks; `links` by address.

    `no_source`: why there is no source archive, a clause; empty where there is one, or nobody knows.
    """

    storefronts: tuple[str, ...]
    languages: tuple[str, ...] = ()
    links: Mapping[str, Link] = field(default_factory=dict)
    affirmed: Affirmed | None = None
    affirmable: bool = True
    """False on a folder: who affirmed is known to the service alone."""
    no_source: str = ""


def check_listing(listing: Listing, problems: tuple[ListingProblem, ...], beside: Surroundings) -> list[ListingFinding]:
    """Blockers first, then by storefront."""
    found = [
        ListingFinding("blocker", "listing.unreadable", f"{p.where}: {p.message}", p.where, p.hint) for p in problems
    ]
    found += _licence(listing, beside)
    found += _rating(listing, beside)
    found += _links(listing, beside)
    for name in beside.storefronts:
        rules = LISTING_RULES[name]
        found += check_texts(listing, rules, beside.languages)
        found += _facts(listing, rules)
        found += check_pictures(listing, rules)
    found += _unused(listing, beside)
    names = list(beside.storefronts)
    return sorted(
        found,
        key=lambda f: (
            SEVERITIES.index(f.severity),
            names.index(f.storefront) if f.storefront else -1,
            f.code,
            f.language,
            f.where,
        ),
    )


def _facts(listing: Listing, rules: ListingRules) -> Iterator[ListingFinding]:
    title = STOREFRONTS[rules.storefront].title
    if listing.fact(rules.storefront, "category") is None:
        hint = f'Write category = "…" with one of: {", ".join(CATEGORIES)}.'
        said = f"{title} sorts titles by category, and none is said"
        yield ListingFinding("blocker", "listing.category-missing", said, f"{FACTS}: category", hint, rules.storefront)
    for link in rules.links:
        if listing.fact(rules.storefront, "links", link) is None:
            said = f"{title} asks for a {LINKS[link]}"
            hint = f'Write {link} = "https://…" under [links].'
            where = f"{FACTS}: links.{link}"
            yield ListingFinding("blocker", "listing.link-missing", said, where, hint, rules.storefront)


def _licence(listing: Listing, beside: Surroundings) -> Iterator[ListingFinding]:
    said = listing.fact("", "licence")
    where = f"{FACTS}: licence"
    if said is None:
        hint = "Write a name of the SPDX license list, or LicenseRef-NAME for terms of your own."
        yield ListingFinding("blocker", "listing.licence-missing", "no licence is said", where, hint)
    elif read_licence(said.value).open and beside.no_source:
        message = f"{said.value} is an open licence: its source goes with it, and {beside.no_source}"
        hint = "Build from a commit of the title's repository: its archive is made of that."
        yield ListingFinding("blocker", "listing.source-missing", message, where, hint)


def _rating(listing: Listing, beside: Surroundings) -> Iterator[ListingFinding]:
    answers = listing.answers()
    for name in missing(answers):
        question = QUESTIONS[name]
        hint = f"Answer with one of: {', '.join(f'{code} ({words})' for code, words in question.answers.items())}."
        where = f"{FACTS}: rating.{name}"
        yield ListingFinding("blocker", "listing.rating-open", f"not answered: {question.text}", where, hint)
    if missing(answers) or not beside.affirmable:
        return
    hint = "Somebody who knows the title reads the answers and affirms them: `rampa rating affirm`."
    where = f"{FACTS}: rating"
    if beside.affirmed is None:
        message = "nobody has affirmed that the rating's answers are true"
        yield ListingFinding("blocker", "listing.rating-not-affirmed", message, where, hint)
    elif beside.affirmed.answers != answers_digest(answers):
        message = f"the rating's answers are not those any more that {beside.affirmed.person} affirmed"
        yield ListingFinding("blocker", "listing.rating-changed", message, where, hint)
    elif beside.affirmed.stale:
        message = f"{beside.affirmed.person}'s word for the rating does not hold any more: {beside.affirmed.stale}"
        yield ListingFinding("blocker", "listing.rating-stale", message, where, hint)


def _links(listing: Listing, beside: Surroundings) -> Iterator[ListingFinding]:
    for said in listing.links():
        link = beside.links.get(said.value, Link())
        if said.value.startswith("http://"):
            yield _found(
                said, "warning", "listing.link-plain", "anybody on the way can read and change it", _over_tls(said)
            )
        if link.state is LinkState.DEAD:
            yield _found(said, "blocker", "listing.link-dead", f"it does not answer: {link.said}")
        elif link.state is LinkState.FAILING:
            yield _found(said, "warning", "listing.link-failing", f"it failed at the last look: {link.said}")
        elif link.state is LinkState.REFUSED:
            yield _found(said, "blocker", "listing.link-private", f"players cannot reach it: {link.said}")


def _found(said: Said, severity: str, code: str, message: str, fix: tuple[ListingEdit, ...] = ()) -> ListingFinding:
    hint = "Mend the page, or name another address." if not fix else "Look whether it answers so, too."
    return ListingFinding(severity, code, f"{said.value}: {message}", said.where, hint, fix=fix)


def _over_tls(said: Said) -> tuple[ListingEdit, ...]:
    return (ListingEdit(said.file, said.path, "https://" + said.value.removeprefix("http://")),)


def _unused(listing: Listing, beside: Surroundings) -> Iterator[ListingFinding]:
    shown = {form for name in beside.storefronts for form in LISTING_RULES[name].pictures}
    for picture in listing.pictures:
        if picture.form and picture.form not in shown:
            message = f"no storefront of this title shows pictures of a {picture.form}"
            hint = "Take it out, or leave it for later."
            fix = (ListingEdit(picture.path, (), None),)
            yield ListingFinding(
                "note", "listing.picture-unused", message, picture.path, hint, form=picture.form, fix=fix
            )
