"""Reading a listing's folder: what is said where, and all that is wrong at once."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.listing.layout import MOST_LANGUAGES
from rampa.core.listing.reader import PictureFacts, must_read, read_listing
from tests.core.listing.samples import EN, FACTS, TEXTS, listing
from tests.refusals import refuses


def test_a_part_of_a_storefront_goes_before_what_is_said_for_all() -> None:
    read = listing({"texts/en.toml": EN + '\n[storefronts.mossgate]\nname = "Peat"\n'})
    named = {s: read.text("en", s, "name") for s in ("mossgate", "northquay")}
    assert [(said.value, said.where) for said in named.values() if said] == [
        ("Peat", "texts/en.toml: storefronts.mossgate.name"),
        ("Peatlight", "texts/en.toml: name"),
    ]
    assert read.text("es", "mossgate", "name") is None
    shown = read.shown("es", "mossgate", "name")
    assert shown is not None
    assert shown.value == "Peat"
    assert read.languages == ["en", "fi"]


def test_a_picture_of_a_language_goes_before_the_common_one() -> None:
    facts = PictureFacts("1" * 64, 10, 10)
    made = {f"pictures/phone/{p}": facts for p in ("2-kiln.png", "1-fog.png", "fi/1-fog.png", "fi/3-only.jpg")}
    read = listing(made=made)
    assert [p.path for p in read.pictures_for("phone", "en")] == [
        "pictures/phone/1-fog.png",
        "pictures/phone/2-kiln.png",
    ]
    assert [p.name for p in read.pictures_for("phone", "fi")] == ["1-fog", "2-kiln", "3-only"]
    assert read.pictures_for("phone", "fi")[0].language == "fi"
    assert read.pictures_for("tablet", "fi") == []


@pytest.mark.parametrize(
    ("file", "text", "said"),
    [
        ("listing.toml", "main = ", "listing.toml: is no TOML"),
        ("listing.toml", FACTS + "\ncolour = 1\n", "rating.colour: is no key"),
        ("listing.toml", 'colour = "amber"\n' + FACTS, "colour: is no key of it. Known here: main"),
        ("listing.toml", 'main = "sv"', "the main language names 'sv', and there is no texts/sv.toml"),
        ("listing.toml", "", "the main language is not said"),
        ("listing.toml", FACTS.replace('"puzzle"', '"puzle"'), "category: is 'puzle'. Did you mean 'puzzle'?"),
        ("listing.toml", FACTS.replace("LicenseRef-Quillback", "Ours"), "licence: is no licence: 'Ours' is no SPDX"),
        (
            "listing.toml",
            FACTS.replace("https://quillback.example/support", "support page"),
            "links.support: is no address",
        ),
        ("listing.toml", FACTS.replace('main = "en"', "main = 3"), "main: is a text, in quotation marks"),
        ("listing.toml", FACTS + '\n[videos]\nwatch = "https://a.example"\n', "videos.watch: is no key"),
        (
            "listing.toml",
            FACTS + '\n[storefronts.elsewhere]\ncategory = "puzzle"\n',
            "storefronts.elsewhere: is no key",
        ),
        ("texts/en.toml", 'name = "a\\u0007"', r"name: holds a control character \(U\+0007\)"),
        ("texts/en.toml", f'long = "{"x" * 30_000}"', "long: has more than 20,000 characters"),
        ("texts/en.toml", "x" * 200_000, "texts/en.toml: has more than 100,000 characters"),
        ("texts/en.toml", 'storefronts = "all"', "storefronts: is a table, with northquay"),
        ("texts/EN.toml", EN, "texts/EN.toml: this file has no place in a listing"),
        ("../secret.toml", EN, "../secret.toml: this file has no place"),
        ("pictures/watch/1.png", EN, "this file has no place"),
    ],
)
def test_what_is_wrong_is_said_with_its_place(file: str, text: str, said: str) -> None:
    with refuses("listing.invalid", said):
        must_read(TEXTS | {file: text}, {})


def test_all_that_is_wrong_is_said_at_once_and_the_rest_is_read() -> None:
    read, problems = read_listing({"listing.toml": FACTS, "texts/en.toml": EN, "texts/fi.toml": "name ="}, {})
    assert [p.where for p in problems] == ["texts/fi.toml"]
    assert read.facts["category",] == "puzzle"
    assert read.languages == ["en", "fi"]
    many = {f"texts/a{chr(97 + n // 26)}-{n:04}.toml": "" for n in range(MOST_LANGUAGES)}
    _, problems = read_listing(TEXTS | many, {})
    assert any("252 languages, and at most 250" in p.message for p in problems)


@given(st.dictionaries(st.text(max_size=20), st.text(max_size=200), max_size=4))
def test_no_text_makes_the_reader_fall_over(texts: dict[str, str]) -> None:
    read_listing(texts, {path: PictureFacts("0" * 64, 1, 1) for path in texts})
    read_listing({"listing.toml": "\n".join(texts.values()), "texts/en.toml": "".join(texts)}, {})
