"""Listings in the service: states and drafts, two people at once, findings, pictures, links, the rating, the source archive."""

from __future__ import annotations

import io
import subprocess
from pathlib import Path

import pytest
import zstandard
from PIL import Image

from rampa.client import Client
from rampa.client.listings.folder import write_folder
from rampa.core.devices.screen import Form
from rampa.core.listing.link import LinkState, Look
from rampa.operations.listings import links, pictures
from rampa.operations.sources import repository
from rampa.schema.common import Role
from rampa.schema.listings import ListingEditIn, ListingFindingOut
from rampa.schema.sources import SourceIn
from tests.clock import Clock
from tests.conftest import Begun, World
from tests.core.listing.samples import EN, FACTS
from tests.gits import peatlight
from tests.listings import TITLE, picture, send, write_listing
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, change_folder, import_title, make_folder

EVERYWHERE = f"""{DOCUMENT}
[profiles.desk]
platform = "linux"
storefront = "northquay"
purpose = "testing"
code.architectures = ["x86_64"]
launch.entry = "bin/peatlight"

[profiles.phone]
platform = "android"
storefront = "mossgate"
purpose = "testing"
code.architectures = ["arm64"]
launch.entry = "bin/peatlight"
"""


@pytest.fixture
def titled(client: Client, begun: Begun, tmp_path: Path) -> Client:
    def fill() -> None:
        import_title(client, EVERYWHERE)
        send(client, write_listing(tmp_path / "listing"), "The first one.")

    begun(fill)
    return client


def edit(file: str, *path: str, to: str | None) -> ListingEditIn:
    return ListingEditIn(file=file, path=list(path), value=to)


def patient(world: World) -> Client:
    """The owner, with a token that holds while days pass."""
    return world._client(world.token(days=90))


def names(found: list[ListingFindingOut]) -> list[str]:
    return [f"{f.severity} {f.name}" for f in found]


def test_a_folder_comes_back_as_it_went(titled: Client, tmp_path: Path) -> None:
    found = titled.listings.get(TITLE)
    assert (found.number, found.main, found.languages, found.message) == (1, "en", ["en", "fi"], "The first one.")
    assert send(titled, tmp_path / "listing", seen=1).number == 1, "the same folder is no new state"
    out = tmp_path / "out"
    assert write_folder(titled.listings, TITLE, out, None, False) == []
    there = {f.relative_to(out): f.read_bytes() for f in out.rglob("*") if f.is_file()}
    root = tmp_path / "listing"
    assert there == {f.relative_to(root): f.read_bytes() for f in root.rglob("*") if f.is_file()}
    with refuses("listing.folder", "there is a listing in this folder"):
        write_folder(titled.listings, TITLE, out, None, False)
    (out / "texts/sv.toml").write_text(EN)
    assert write_folder(titled.listings, TITLE, out, 1, True) == ["texts/sv.toml"]


def test_states_are_numbered_compared_and_never_overwritten_unseen(titled: Client, tmp_path: Path) -> None:
    (tmp_path / "listing/texts/fi.toml").write_text(EN.replace("A night", "Yö"))
    assert send(titled, tmp_path / "listing", "Finnish.", seen=1).number == 2
    (tmp_path / "listing/texts/fi.toml").write_text(EN.replace("A night", "Ilta"))
    with refuses("listing.moved", "at state 2 now, not 1"):
        send(titled, tmp_path / "listing", seen=1)
    assert [(s.number, s.message, s.created_by) for s in titled.listings.states(TITLE)] == [
        (2, "Finnish.", "Iida"),
        (1, "The first one.", "Iida"),
    ]
    changed = titled.listings.compare(TITLE, 2).changes
    assert [(c.file, c.path) for c in changed] == [("texts/fi.toml", ("long",)), ("texts/fi.toml", ("short",))]
    assert len(titled.listings.compare(TITLE, 1).changes) > 20
    assert titled.listings.compare(TITLE, 1, against=2).changes[1].after == "Yö suoradalla."
    with refuses("listing.unknown"):
        titled.listings.compare(TITLE, 3)


def test_a_folder_with_mistakes_changes_nothing_and_says_all_of_them(titled: Client, tmp_path: Path) -> None:
    root = write_listing(tmp_path / "bad", {"listing.toml": FACTS.replace("puzzle", "puzle"), "texts/fi.toml": "x ="})
    with refuses("listing.invalid", "2 problems"):
        send(titled, root)
    (root / "pictures/phone/1-fog.png").write_bytes(b"no picture")
    with refuses("picture.unknown", where="pictures/phone/1-fog.png"):
        send(titled, root)
    assert titled.listings.get(TITLE).number == 1


def test_a_draft_is_kept_reviewed_and_saved(titled: Client) -> None:
    empty = titled.listings.draft(TITLE)
    assert (empty.version, empty.base, empty.same) == (0, 1, True)
    change = edit("texts/en.toml", "short", to="The fog is thick tonight, " * 5)
    draft = titled.listings.edit(TITLE, 1, [change], seen=0)
    assert (draft.version, draft.same, draft.others) == (1, False, [])
    with refuses("listing.draft-moved"):
        titled.listings.edit(TITLE, 1, [change], seen=0)
    found = titled.listings.review(TITLE)
    assert [c.path for c in found.changes] == [("short",)]
    assert names(found.findings_added) == ["blocker listing.text-long/mossgate/en/short"]
    (fix,) = found.findings_added[0].fix
    titled.listings.edit(TITLE, 1, [fix], seen=1)
    assert titled.listings.review(TITLE).findings_added == []
    assert titled.listings.get(TITLE).number == 1
    shown = titled.listings.shown(TITLE, "mossgate", "en", Form.PHONE, draft=True).texts["short"]
    assert shown is not None
    assert shown.count <= shown.most == 96
    saved = titled.listings.save(TITLE, "Fog.", seen=2)
    assert (saved.number, titled.listings.draft(TITLE).version) == (2, 0)
    assert names(titled.listings.check(TITLE).findings)[0] == "blocker listing.rating-not-affirmed/rating"
    with refuses("listing.no-draft"):
        titled.listings.save(TITLE)
    titled.listings.edit(TITLE, 2, [change])
    titled.listings.drop_draft(TITLE)
    assert titled.listings.draft(TITLE).version == 0


def test_a_draft_with_mistakes_is_kept_and_cannot_be_saved(titled: Client) -> None:
    titled.listings.edit(TITLE, 1, [edit("texts/fi.toml", to="name =")])
    found = titled.listings.review(TITLE)
    assert len(found.problems) == 1
    assert found.problems[0].startswith("texts/fi.toml: is no TOML")
    with refuses("listing.invalid", "texts/fi.toml"):
        titled.listings.save(TITLE)
    assert titled.listings.draft(TITLE).version == 1


def test_two_people_at_once_lose_nothing(titled: Client, world: World) -> None:
    """Both change a listing; the second sees both changes before anything is saved, and what both said otherwise."""
    other = world.client(Role.ENGINEER)
    titled.listings.edit(TITLE, 1, [edit("texts/en.toml", "name", to="Peatlight at night")])
    mine = [edit("texts/fi.toml", "name", to="Suovalo"), edit("texts/en.toml", "name", to="Bog light")]
    assert [o.person for o in other.listings.edit(TITLE, 1, mine).others] == ["Iida"]
    titled.listings.save(TITLE, "At night.")
    assert other.listings.draft(TITLE).moved
    with refuses("listing.moved", "state 2 was saved meanwhile"):
        other.listings.save(TITLE)
    meanwhile = other.listings.review(TITLE).meanwhile
    assert meanwhile is not None
    assert (meanwhile.number, meanwhile.by, [c.after for c in meanwhile.theirs]) == (2, "Iida", ["Peatlight at night"])
    assert [(c.theirs, c.mine) for c in meanwhile.clashes] == [("Peatlight at night", "Bog light")]
    with refuses("listing.moved"):
        other.listings.rebase(TITLE, 1)
    assert other.listings.rebase(TITLE, 2).base == 2
    other.listings.edit(TITLE, 2, [edit("texts/en.toml", "name", to="Peatlight at night")])
    assert other.listings.save(TITLE).number == 3
    said = {(v.file, *v.path): v.value for v in titled.listings.get(TITLE).values}
    assert (said["texts/en.toml", "name"], said["texts/fi.toml", "name"]) == ("Peatlight at night", "Suovalo")


def test_a_listing_begins_with_the_languages_of_the_title(client: Client) -> None:
    import_title(client, DOCUMENT.replace("[content]", '[content]\nlanguages = ["en", "es"]'))
    assert client.listings.get(TITLE).number == 0
    draft = client.listings.draft(TITLE)
    assert (draft.main, draft.languages, draft.base) == ("en", ["en", "es"], 0)
    client.listings.edit(TITLE, 0, [edit("listing.toml", "category", to="puzzle")], seen=0)
    assert client.listings.save(TITLE).number == 1
    with refuses("listing.base"):
        client.listings.edit(TITLE, 0, [edit("listing.toml", "category", to="story")])


def test_how_it_stands_for_each_storefront(titled: Client) -> None:
    found = titled.listings.check(TITLE)
    assert [(s.name, s.category, s.rating, s.languages, s.blockers) for s in found.storefronts] == [
        ("northquay", "Thinking games", "For all", {"en": "", "fi": ""}, 1),
        ("mossgate", "Head and hand", "Seed: everybody", {"en": "", "fi": ""}, 1),
    ]
    assert names(found.findings)[0] == "blocker listing.rating-not-affirmed/rating"
    assert {f.code for f in found.findings[1:]} == {"listing.picture-unused"}
    rules = {r.storefront: r for r in titled.listings.rules().items}
    assert rules["mossgate"].texts["name"].words == "at most 34 UTF-16 units"


def test_pictures_in_the_size_of_each_storefront(titled: Client) -> None:
    found = titled.listings.shown(TITLE, "mossgate", "fi", Form.PHONE)
    first = found.pictures[0]
    data = titled.fetch(first.address)
    image = Image.open(io.BytesIO(data))
    assert (image.size, image.format) == ((first.width, first.height), "JPEG")
    assert found.icon is not None
    icon = Image.open(io.BytesIO(titled.fetch(found.icon.address)))
    assert (icon.size, icon.format) == ((720, 720), "PNG")
    (held,) = [p for p in titled.listings.get(TITLE).pictures if p.path == first.path]
    assert Image.open(io.BytesIO(titled.listings.picture(TITLE, held.digest))).format == "PNG"
    with refuses("listing.form"):
        titled.listings.shown(TITLE, "northquay", "en", Form.PHONE)
    with refuses("listing.picture"):
        titled.listings.picture(TITLE, "0" * 64)


def test_pictures_of_another_form_and_more_than_are_kept(titled: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    with refuses("picture.form", "this is GIF"):
        titled.listings.add_picture(TITLE, picture(40, 30, form="GIF"))
    monkeypatch.setattr(pictures, "MOST_KEPT", 14)
    titled.listings.add_picture(TITLE, picture(40, 30, "#803000"))
    with refuses("listing.pictures", "14 pictures in all"):
        titled.listings.add_picture(TITLE, picture(40, 30, "#803001"))
    titled.listings.add_picture(TITLE, picture(40, 30, "#803000"))


def test_pictures_that_nothing_has_are_forgotten(titled: Client, world: World) -> None:
    titled, clock = patient(world), Clock(world)
    spare = titled.listings.add_picture(TITLE, picture(40, 30, "#803000")).digest
    drafted = titled.listings.add_picture(TITLE, picture(40, 30, "#103000")).digest
    titled.listings.edit(TITLE, 1, [edit("pictures/phone/9-new.png", to=drafted)])
    with refuses("listing.picture", "was not sent", where="pictures/phone/8-gone.png"):
        titled.listings.edit(TITLE, 1, [edit("pictures/phone/8-gone.png", to="0" * 64)])
        titled.listings.save(TITLE)
    assert pictures.forget(world.services) == 0
    clock.pass_(days=3)
    assert pictures.forget(world.services) == 1
    with refuses("listing.picture"):
        titled.listings.picture(TITLE, spare)
    assert titled.listings.picture(TITLE, drafted)


def test_links_are_looked_at_weekly_and_sooner_while_they_fail(titled: Client, world: World) -> None:
    titled, clock = patient(world), Clock(world)
    asked: list[str] = []
    answers = {"https://quillback.example/support": Look(503, "it answers with 503")}

    def look(address: str) -> Look:
        asked.append(address)
        return answers.get(address, Look(200, ""))

    assert links.look_due(world.services, look) == 2
    assert links.look_due(world.services, look) == 0
    states = {x.address: x.state for x in titled.listings.links(TITLE).items}
    assert list(states.values()) == [LinkState.FAILING, LinkState.GOOD]
    assert "warning listing.link-failing/links.support" in names(titled.listings.check(TITLE).findings)
    for _ in range(25):
        clock.pass_(hours=1)
        links.look_due(world.services, look)
    assert asked.count("https://quillback.example/privacy") == 1
    assert "blocker listing.link-dead/links.support" in names(titled.listings.check(TITLE).findings)
    (told,) = titled.events.all(act="listing.link-dead")
    assert told.detail["said"] == "it answers with 503"
    answers.clear()
    titled.listings.look_at_links(TITLE)
    assert links.look_due(world.services, look) == 2
    assert {x.state for x in titled.listings.links(TITLE).items} == {LinkState.GOOD}
    titled.listings.edit(TITLE, 1, [edit("listing.toml", "links", "support", to="https://quillback.example/help")])
    titled.listings.save(TITLE)
    assert links.look_due(world.services, look) == 1
    assert asked[-1] == "https://quillback.example/help"


def test_a_rating_is_affirmed_by_name_and_again_when_the_content_changed(
    titled: Client, world: World, tmp_path: Path
) -> None:
    rated = titled.listings.rating(TITLE)
    assert {r.storefront: r.rating for r in rated.ratings}["visorfield"] == "Any wearer"
    assert (rated.affirmation, len(rated.questions)) == (None, 10)
    with refuses("rating.name", "sign with your own name: Iida"):
        titled.listings.affirm(TITLE, 1, "Oskari")
    with refuses("listing.moved"):
        titled.listings.affirm(TITLE, 0, "Iida")
    with refuses("role.denied"):
        world.client(Role.VIEWER).listings.affirm(TITLE, 1, "viewer")
    assert titled.listings.affirm(TITLE, 1, "iida").affirmation
    assert not [f for f in titled.listings.check(TITLE).findings if f.severity == "blocker"]

    add_key(titled)
    folder = make_folder(tmp_path / "src", big=50_000)
    build(titled, folder, tmp_path / "state")
    (again,) = [f for f in titled.listings.check(TITLE).findings if f.severity == "blocker"]
    assert "peatlight#1 of linux-release has files that were not there then" in again.message
    assert titled.listings.affirm(TITLE, 1, "Iida").affirmation
    (folder / "bin/peatlight").write_text("#!/bin/sh\necho mended\n")
    build(titled, folder, tmp_path / "state")
    assert not [f for f in titled.listings.check(TITLE).findings if f.severity == "blocker"], "only code changed"
    change_folder(folder)
    build(titled, folder, tmp_path / "state")
    assert "peatlight#3" in titled.listings.rating(TITLE).affirmation.stale  # type: ignore[union-attr]
    titled.listings.affirm(TITLE, 1, "Iida")

    titled.listings.edit(TITLE, 1, [edit("listing.toml", "rating", "fear", to="eerie")])
    titled.listings.save(TITLE)
    affirmation = titled.listings.rating(TITLE).affirmation
    assert affirmation is not None
    assert (affirmation.stale, affirmation.answers["fear"]) == ("the answers are not those any more", "none")
    titled.listings.edit(TITLE, 2, [edit("listing.toml", "rating", "fear", to=None)])
    titled.listings.save(TITLE)
    with refuses("rating.open", "1 question is not answered", where="fear"):
        titled.listings.affirm(TITLE, 3, "Iida")


def test_a_repository_that_owns_the_document_owns_the_listing(titled: Client, world: World, tmp_path: Path) -> None:
    repo = peatlight(tmp_path / "repo", EVERYWHERE)
    listing = write_listing(tmp_path / "next", {"texts/es.toml": 'name = "Luz de turba"\n'})
    said = {f"listing/{f.relative_to(listing)}": f.read_bytes() for f in listing.rglob("*") if f.is_file()}
    commit = repo.commit("The listing", {**said, "listing/README.txt": b"Ask Tuuli before you change a picture."})
    titled.sources.connect(TITLE, SourceIn(address=str(repo.root), every=0))
    titled.titles.set_owner(TITLE, "repository")
    assert repository.fetch(world.services, TITLE), titled.sources.get(TITLE).error
    found = titled.listings.get(TITLE)
    assert (found.number, found.commit, found.created_by, found.languages) == (
        2,
        commit,
        "the repository",
        ["en", "es", "fi"],
    )
    assert not found.allowed_actions[0].possible
    titled.listings.edit(TITLE, 2, [edit("texts/es.toml", "name", to="Otra")])
    with refuses("document.owned"):
        titled.listings.save(TITLE)
    repo.commit("Broken", {"listing/texts/es.toml": "name ="})
    repository.fetch(world.services, TITLE)
    assert "texts/es.toml: is no TOML" in titled.sources.get(TITLE).error
    assert titled.listings.get(TITLE).number == 2


def test_an_open_licence_gets_the_source_of_the_builds_commit(titled: Client, world: World, tmp_path: Path) -> None:
    titled.listings.edit(TITLE, 1, [edit("listing.toml", "licence", to="MIT")])
    titled.listings.save(TITLE)
    add_key(titled)
    repo = peatlight(tmp_path / "repo", EVERYWHERE)
    folder = make_folder(tmp_path / "src", big=50_000)
    build(titled, folder, tmp_path / "state")
    found = {f.code: f for f in titled.listings.check(TITLE).findings}
    assert "peatlight#1 was made from a folder, not from a commit" in found["listing.source-missing"].message
    with refuses("source.by-hand"):
        list(titled.listings.source_archive(TITLE, 1))

    titled.sources.connect(TITLE, SourceIn(address=str(repo.root), every=0))
    assert repository.fetch(world.services, TITLE)
    with world.services.db.transaction() as session:
        session.connection().exec_driver_sql(f"update build_origin set commit = '{repo.git('rev-parse', 'HEAD')}'")
    assert "listing.source-missing" not in {f.code for f in titled.listings.check(TITLE).findings}
    packed = b"".join(titled.listings.source_archive(TITLE, 1))
    assert packed == b"".join(titled.listings.source_archive(TITLE, 1))
    tar = zstandard.ZstdDecompressor().decompressobj().decompress(packed)
    there = subprocess.run(["tar", "-t"], input=tar, capture_output=True, check=True).stdout.decode().split()
    assert "src/fog.c" in there
    with refuses("role.denied"):
        list(world.client(Role.VIEWER).listings.source_archive(TITLE, 1))
