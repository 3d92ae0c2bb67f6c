"""Findings of a listing, each with its fix."""

from __future__ import annotations

import datetime as dt

import pytest

from rampa.core.check.listing.whole import Affirmed, Surroundings, check_listing
from rampa.core.listing.edits import apply_edits
from rampa.core.listing.finding import ListingFinding
from rampa.core.listing.link import Link, LinkState, Look
from rampa.core.listing.rating import answers_digest
from rampa.core.listing.reader import PictureFacts, read_listing
from rampa.core.listing.shown import show
from rampa.core.listing.table import LISTING_RULES
from tests.core.listing.samples import EN, FACTS, TEXTS, files, listing, pictures

ALL = tuple(LISTING_RULES)
AFFIRMED = Affirmed("Iida", answers_digest(listing().answers()))
RU = EN.replace("A night", "Ночь").replace("Fog", "Туман")
SUPPORT = "https://quillback.example/support"


def found(
    changed: dict[str, str] | None = None, made: dict[str, PictureFacts] | None = None, **beside: object
) -> list[ListingFinding]:
    read, problems = read_listing(TEXTS | (changed or {}), pictures() if made is None else made)
    around = {"storefronts": ALL, "languages": ("en", "fi"), "affirmed": AFFIRMED, **beside}
    return check_listing(read, problems, Surroundings(**around))  # type: ignore[arg-type]


def names(of: list[ListingFinding]) -> list[str]:
    return [f"{f.severity} {f.name}" for f in of]


def test_a_listing_that_is_whole_has_no_findings() -> None:
    assert found() == []


def test_a_text_that_is_too_long_for_one_storefront_is_cut_for_that_one_alone() -> None:
    long = EN.replace("A night on the bog railway.", "A night on the bog railway, " * 4 + "until the thaw.")
    (over, more) = found({"texts/en.toml": long})
    assert names([over, more]) == [
        "blocker listing.text-long/mossgate/en/short",
        "blocker listing.text-long/visorfield/en/short",
    ]
    assert over.message == "the short text has 127, and Mossgate takes at most 96 UTF-16 units"
    made = apply_edits(files({"texts/en.toml": long}), over.fix + more.fix)
    assert found(dict(made.texts)) == []
    read, _ = read_listing(made.texts, {})
    kept = read.text("en", "northquay", "short")
    assert kept is not None
    assert kept.value.endswith("until the thaw.")


@pytest.mark.parametrize(
    ("changed", "expected"),
    [
        (
            {"texts/fi.toml": 'name = "Peatlight"\nlong = "Sumu."'},
            [
                "warning listing.text-missing/northquay/fi/short",
                "warning listing.text-missing/mossgate/fi/short",
                "warning listing.text-missing/visorfield/fi/short",
            ],
        ),
        (
            {"texts/en.toml": EN.replace("short", "# short")},
            [f"{s} listing.text-missing/{n}/en/short" for s, n in (("blocker", s) for s in ALL)],
        ),
        ({"texts/fi.toml": EN}, [f"warning listing.text-untranslated/{n}/fi/{f}" for n in ALL for f in ("long", "short")]),
        ({"texts/ru.toml": RU}, ["note listing.language-unknown/visorfield/ru/texts/ru.toml"]),
        (
            {"listing.toml": FACTS.replace('category = "puzzle"\n', "")},
            [f"blocker listing.category-missing/{n}/category" for n in ALL],
        ),
        (
            {"listing.toml": FACTS.replace("support =", "#")},
            [f"blocker listing.link-missing/{n}/links.support" for n in ALL],
        ),
        ({"listing.toml": FACTS.replace("licence", "# licence")}, ["blocker listing.licence-missing/licence"]),
        ({"listing.toml": FACTS.replace(SUPPORT, "http" + SUPPORT[5:])}, ["warning listing.link-plain/links.support"]),
        ({"listing.toml": FACTS.replace("fear", "# fear")}, ["blocker listing.rating-open/rating.fear"]),
        ({"listing.toml": FACTS.replace('fear = "none"', 'fear = "eerie"')}, ["blocker listing.rating-changed/rating"]),
        ({"texts/en.toml": "name ="}, ["blocker listing.unreadable/texts/en.toml"]),
    ],
)  # fmt: skip
def test_what_is_missing_or_wrong_is_found(changed: dict[str, str], expected: list[str]) -> None:
    seen = names(found(changed))
    # A file that cannot be read lacks all its texts, too.
    assert [n for n in seen if not ("unreadable" in expected[0] and "text-missing" in n)] == expected


def test_a_language_that_the_title_speaks_is_begun_by_its_fix() -> None:
    (first, *rest) = found(languages=("en", "fi", "es"))
    assert names([first, *rest]) == [f"warning listing.language-missing/{n}/es/texts/es.toml" for n in ALL]
    assert "those who read es see the one in en" in first.message
    assert "Mossgate does not show the title to those who read es" in rest[0].message
    made = apply_edits(files(), first.fix)
    seen = found(dict(made.texts), languages=("en", "fi", "es"))
    assert {f.code for f in seen} == {"listing.text-untranslated"}


def test_pictures_too_few_too_small_of_another_shape() -> None:
    made = {p: f for p, f in pictures().items() if "tablet" not in p and p != "pictures/icon.png"}
    made["pictures/icon.png"] = PictureFacts("0" * 64, 600, 900)
    made["pictures/phone/3-fog.png"] = PictureFacts("1" * 64, 800, 1600)
    made["pictures/desktop/3-fog.png"] = PictureFacts("2" * 64, 3000, 3000)
    seen = {f.name: f for f in found(made=made)}
    assert list(seen) == [
        "listing.icon-small/northquay/pictures/icon.png",
        "listing.pictures-few/northquay/desktop/pictures/desktop",
        "listing.icon-small/mossgate/pictures/icon.png",
        "listing.pictures-few/mossgate/phone/pictures/phone",
        "listing.pictures-few/mossgate/tablet/pictures/tablet",
        "listing.icon-not-square/northquay/pictures/icon.png",
        "listing.picture-unfit/northquay/desktop/pictures/desktop/3-fog.png",
        "listing.icon-not-square/mossgate/pictures/icon.png",
        "listing.picture-unfit/mossgate/phone/pictures/phone/3-fog.png",
        "listing.icon-not-square/visorfield/pictures/icon.png",
    ]
    assert (
        "38% of it would be cut off"
        in seen["listing.picture-unfit/northquay/desktop/pictures/desktop/3-fog.png"].message
    )
    # What was taken on headsets comes out right on tablets, too: nobody needs to take it again.
    made |= {f"pictures/headset/{n}-fog.png": PictureFacts(f"{n}" * 64, 2048, 1536) for n in (1, 2)}
    (fix,) = [f.fix for f in found(made=made) if f.form == "tablet"]
    assert [(e.file, e.value) for e in fix] == [(f"pictures/tablet/{n}-fog.png", f"{n}" * 64) for n in (1, 2)]


def test_no_pictures_at_all_and_more_than_are_shown() -> None:
    seen = found(made={}, storefronts=("northquay",))
    assert names(seen) == [
        "blocker listing.icon-missing/northquay/pictures/icon.png",
        "blocker listing.pictures-few/northquay/desktop/pictures/desktop",
    ]
    assert seen[1].message.endswith("asks for 3 pictures of a desktop at 1,600 x 1,000 px, and none can be made")
    (many,) = found(
        made={p: f for p, f in pictures(14).items() if "desktop" in p or "icon" in p}, storefronts=("northquay",)
    )
    assert (many.severity, many.code, many.where) == ("note", "listing.pictures-many", "pictures/desktop/13-fog.png")


def test_pictures_that_nobody_shows_are_only_noted() -> None:
    seen = found(storefronts=("northquay",))
    assert {f.code for f in seen} == {"listing.picture-unused"}
    assert {f.severity for f in seen} == {"note"}
    assert (
        found(
            dict(TEXTS),
            storefronts=("northquay",),
            made={k: v for k, v in pictures().items() if "desktop" in k or "icon" in k},
        )
        == []
    )


@pytest.mark.parametrize(
    ("link", "expected"),
    [
        (Link(), []),
        (Link(LinkState.GOOD), []),
        (Link(LinkState.FAILING, "it answers with 503"), ["warning listing.link-failing/links.support"]),
        (Link(LinkState.DEAD, "it answers with 404"), ["blocker listing.link-dead/links.support"]),
        (Link(LinkState.REFUSED, "it is at 10.0.0.1"), ["blocker listing.link-private/links.support"]),
    ],
)
def test_links_as_they_were_when_somebody_looked(link: Link, expected: list[str]) -> None:
    assert names(found(links={SUPPORT: link})) == expected


def test_an_open_licence_asks_for_the_source() -> None:
    opened = {"listing.toml": FACTS.replace("LicenseRef-Quillback", "MIT")}
    assert found(opened) == []
    (missing,) = found(opened, no_source="peatlight#4 was made from a folder, not from a commit")
    assert (
        missing.message
        == "MIT is an open licence: its source goes with it, and peatlight#4 was made from a folder, not from a commit"
    )
    assert found(no_source="peatlight#4 was made from a folder") == []


def test_a_rating_is_affirmed_again_when_answers_or_content_changed() -> None:
    assert names(found(affirmed=None)) == ["blocker listing.rating-not-affirmed/rating"]
    stale = Affirmed("Iida", AFFIRMED.answers, "peatlight#9 of linux-release has other files")
    (again,) = found(affirmed=stale)
    assert again.code == "listing.rating-stale"
    assert (
        again.message
        == "Iida's word for the rating does not hold any more: peatlight#9 of linux-release has other files"
    )
    assert found(affirmed=None, affirmable=False) == []


NOW = dt.datetime(2026, 11, 29, 12, tzinfo=dt.UTC)
HOUR = dt.timedelta(hours=1)


def test_a_link_is_dead_when_it_is_gone_or_fails_for_a_day() -> None:
    fails, gone, good = Look(503, "it answers with 503"), Look(404, "it answers with 404"), Look(200, "")
    link = Link().after(fails, NOW)
    assert (link.state, link.due(NOW + HOUR / 2), link.due(NOW + HOUR)) == (LinkState.FAILING, False, True)
    assert link.after(fails, NOW + 23 * HOUR).state is LinkState.FAILING
    dead = link.after(fails, NOW + 24 * HOUR)
    assert (dead.state, dead.failed_since) == (LinkState.DEAD, NOW)
    well = dead.after(good, NOW + 25 * HOUR)
    assert (well.state, well.failed_since, well.due(NOW + 150 * HOUR)) == (LinkState.GOOD, None, False)
    assert well.due(NOW + 200 * HOUR)
    assert Link().after(gone, NOW).state is LinkState.DEAD
    assert Link().after(Look(0, "it is at 10.0.0.1", inside=True), NOW).state is LinkState.REFUSED
    assert Link().due(NOW)


def test_what_a_storefront_shows() -> None:
    read = listing({"texts/es.toml": 'name = "Luz de turba"'})
    here = show(read, LISTING_RULES["northquay"], "es", "desktop")
    assert {k: (t.value, t.language) for k, t in here.texts.items() if t} == {
        "name": ("Luz de turba", "es"),
        "short": ("A night on the bog railway.", "en"),
        "long": ("Fog lies on the bog.\nSend the wagons home.", "en"),
    }
    assert (here.category, here.rating, here.seen) == ("Thinking games", "For all", True)
    assert len(here.pictures) == 3
    assert not show(read, LISTING_RULES["mossgate"], "es", "phone").seen
    assert show(read, LISTING_RULES["mossgate"], "fi", "tablet").seen
