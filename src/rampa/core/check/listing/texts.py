"""Texts of a listing: there in every language, of a length that the storefront takes, translated."""

from __future__ import annotations

from collections.abc import Iterator

from rampa.core.listing.edits import ListingEdit
from rampa.core.listing.finding import ListingFinding
from rampa.core.listing.layout import texts_file
from rampa.core.listing.listing import PARTS, Listing, Said
from rampa.core.listing.rules import FIELDS, ListingRules
from rampa.core.platform.storefronts import STOREFRONTS


def check_texts(listing: Listing, rules: ListingRules, languages: tuple[str, ...]) -> Iterator[ListingFinding]:
    """`languages`: those that the title itself speaks."""
    title = STOREFRONTS[rules.storefront].title
    for language in listing.languages:
        if rules.languages and language not in rules.languages:
            message = f"{title} shows no listing in {language}; it shows {', '.join(rules.languages)}"
            where, hint = texts_file(language), "Other storefronts may: nothing needs to be done."
            yield ListingFinding("note", "listing.language-unknown", message, where, hint, rules.storefront, language)
            continue
        for field in FIELDS:
            yield from _field(listing, rules, language, field)
    for language in languages:
        shown = not rules.languages or language in rules.languages
        if shown and language not in listing.texts and listing.main:
            yield _not_there(listing, rules, language)


def _field(listing: Listing, rules: ListingRules, language: str, field: str) -> Iterator[ListingFinding]:
    said = listing.text(language, rules.storefront, field)
    if said is None:
        yield _missing(listing, rules, language, field)
        return
    length = rules.texts[field]
    count = length.of(said.value)
    if count > length.most:
        title = STOREFRONTS[rules.storefront].title
        message = f"the {FIELDS[field]} has {count:,}, and {title} takes {length.words()}"
        # For this storefront alone: the others may take the whole.
        fix = (ListingEdit(said.file, (PARTS, rules.storefront, field), length.cut(said.value)),)
        hint = "Write a shorter one for this storefront, or for all."
        yield ListingFinding(
            "blocker", "listing.text-long", message, said.where, hint, rules.storefront, language, fix=fix
        )
    elif (
        language != listing.main
        and field != "name"
        and _alike(listing.text(listing.main, rules.storefront, field), said)
    ):
        message = f"the {FIELDS[field]} in {language} is the one in {listing.main}, word by word"
        hint = "Have it translated."
        yield ListingFinding(
            "warning", "listing.text-untranslated", message, said.where, hint, rules.storefront, language
        )


def _alike(main: Said | None, said: Said) -> bool:
    return main is not None and main.value == said.value


def _missing(listing: Listing, rules: ListingRules, language: str, field: str) -> ListingFinding:
    title, file = STOREFRONTS[rules.storefront].title, texts_file(language)
    where = f"{file}: {field}"
    if language == listing.main:
        message = f"{title} asks for a {FIELDS[field]}, and the main language has none"
        hint = f"Write {field} in {file}."
        return ListingFinding("blocker", "listing.text-missing", message, where, hint, rules.storefront, language)
    message = f"there is no {FIELDS[field]} in {language}: {_otherwise(listing, rules, language)}"
    said = listing.text(listing.main, rules.storefront, field)
    fix = (ListingEdit(file, (field,), said.value),) if said is not None else ()
    hint = f"Have it translated; the fix writes the one in {listing.main} there to begin with."
    return ListingFinding("warning", "listing.text-missing", message, where, hint, rules.storefront, language, fix=fix)


def _not_there(listing: Listing, rules: ListingRules, language: str) -> ListingFinding:
    message = f"the title speaks {language}, and its listing does not: {_otherwise(listing, rules, language)}"
    said = {f: listing.text(listing.main, "", f) for f in FIELDS}
    fix = tuple(ListingEdit(texts_file(language), (f,), s.value) for f, s in said.items() if s is not None)
    hint = f"Write {texts_file(language)}; the fix begins it with the texts in {listing.main}."
    where = texts_file(language)
    return ListingFinding(
        "warning", "listing.language-missing", message, where, hint, rules.storefront, language, fix=fix
    )


def _otherwise(listing: Listing, rules: ListingRules, language: str) -> str:
    title = STOREFRONTS[rules.storefront].title
    if rules.falls_back:
        return f"on {title} those who read {language} see the one in {listing.main}"
    return f"{title} does not show the title to those who read {language}"
