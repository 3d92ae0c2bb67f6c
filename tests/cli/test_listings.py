"""Listings by command line: a folder checked without a service, sent, mended by fixes, written out again; the rating."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from rampa.client import Client
from rampa.schema.listings import ListingEditIn
from tests.cli.conftest import Said
from tests.conftest import Begun, World
from tests.core.listing.samples import EN, FACTS
from tests.listings import TITLE, send, write_listing
from tests.refusals import refuses
from tests.samples import add_key, build, import_title, make_folder
from tests.service.test_listings import EVERYWHERE

LONG = EN.replace("A night on the bog railway.", "A night on the bog railway, " * 4 + "until the thaw.")
OVER = "listing.text-long/mossgate/en/short"


@pytest.fixture
def folder(client: Client, begun: Begun, tmp_path: Path) -> Path:
    """Sent already; a text is too long for one storefront."""

    def fill() -> None:
        import_title(client, EVERYWHERE)
        send(client, write_listing(tmp_path / "here/listing", {"texts/en.toml": LONG}))

    begun(fill)
    return tmp_path / "here"


def test_a_folder_is_checked_without_a_service(folder: Path, said: Said) -> None:
    told = said("listing", "check", str(folder), code=6)
    assert "2 blockers, 0 warnings, 0 notes." in told, "every storefront's, without a document beside it"
    (folder / "rampa.toml").write_text(EVERYWHERE)
    told = said("listing", "check", str(folder / "listing"), code=6)
    assert "the short text has 127, and Mossgate takes at most 96 UTF-16 units" in told
    assert "visorfield" not in told
    found = json.loads(said("listing", "check", str(folder), "--storefront", "northquay", "--json", code=0))
    assert {f["code"] for f in found} == {"listing.picture-unused"}
    (folder / "listing/pictures/icon.png").write_bytes(b"no picture")
    (folder / "listing/texts/fi.toml").write_text("name =")
    told = said("listing", "check", str(folder), code=6)
    assert "pictures/icon.png: this is no picture" in told
    assert "texts/fi.toml: is no TOML" in told
    with refuses("listing.folder", where=str(folder.parent)):
        said("listing", "check", str(folder.parent))


def test_from_a_folder_through_fixes_and_back(folder: Path, said: Said, client: Client, tmp_path: Path) -> None:
    assert "has not changed" in said("listing", "import", str(folder))
    (folder / "listing/notes.txt").write_text("Ask Tuuli.")
    (folder / "listing/listing.toml").write_text(FACTS.replace("puzzle", "management"))
    told = said("listing", "import", str(folder), "-m", "Another category.")
    assert "Left alone, no part of a listing: notes.txt" in told
    assert "is at state 2 now" in told
    assert "Works and wagons" in said("listing", "show")
    with refuses("finding.unknown", "no finding with a fix is named fog"):
        said("listing", "fix", "fog")
    assert "Not done: confirm with --yes." in said("listing", "fix", OVER, code=1)
    told = said("listing", "fix", OVER, "--yes")
    assert "texts/en.toml storefronts.mossgate.short: A night on the bog railway" in told
    assert "is at state 3 now" in told
    told = said("listing", "compare", "3")
    assert "+ A night on the bog railway" in told
    told = said("listing", "compare", "2", "--against", "1")
    assert ("- puzzle" in told, "+ management" in told) == (True, True)
    assert "Another category." in said("listing", "history")
    out = tmp_path / "out"
    assert f"is in {out}" in said("listing", "export", str(out))
    assert "storefronts.mossgate" in (out / "texts/en.toml").read_text()
    said("listing", "export", str(out), "--replace", "--state", "1")
    assert (out / "texts/en.toml").read_text() == LONG
    client.listings.edit(TITLE, 3, [ListingEditIn(file="texts/en.toml", path=["name"], value="Bog light")])
    with refuses("listing.draft"):
        said("listing", "fix", "--all", "--yes")
    assert "rating-not-affirmed" not in said("listing", "check", "--draft", code=6)


def test_what_a_storefront_shows_and_links(folder: Path, said: Said) -> None:
    told = said("listing", "preview", "--storefront", "mossgate", "--language", "es")
    assert "Those who read es do not see the title there" in told
    assert "in en, 127 of 96" in told
    assert "pictures/phone/1-fog.png, 1,080 x 2,160 px" in told
    with refuses("storefront.unknown"):
        said("listing", "preview", "--storefront", "elsewhere")
    assert "not looked at yet" in said("listing", "links")
    assert "looked at within seconds" in said("listing", "links", "--look")


def test_a_rating_is_read_and_affirmed(folder: Path, said: Said) -> None:
    told = said("rating", "show")
    assert "Is it made to frighten?" in told
    assert "nothing but the mildest answers" in told
    assert "Nobody has affirmed them yet" in told
    assert "Iida affirms the answers of state 1" in said("rating", "affirm", "--name", "Iida")
    assert "Affirmed by Iida" in said("rating", "show")


def test_nothing_is_written_out_where_there_is_no_listing(client: Client, said: Said, tmp_path: Path) -> None:
    import_title(client)
    assert "There is no listing yet" in said("listing", "show")
    with refuses("listing.none"):
        said("listing", "export", str(tmp_path / "out"))


def test_a_source_archive_goes_into_a_file_or_says_why_not(
    folder: Path, said: Said, client: Client, world: World, tmp_path: Path
) -> None:
    add_key(client)
    build(client, make_folder(tmp_path / "src", 20_000), tmp_path / "state")
    file = tmp_path / "source.tar.zst"
    with refuses("source.by-hand"):
        said("listing", "source-archive", "peatlight#1", "--to", str(file))
    assert not file.exists()
