"""Profiles over HTTP: resolved, matrix, compared, checked; drafts, reviews, two people at once; who owns a document."""

from __future__ import annotations

import base64
from pathlib import Path

import pytest
from demo.peatlight.content import icon, png
from demo.peatlight.documents import EVERYWHERE, FIRST, hurried

from rampa.client import Client
from rampa.core.errors import NotFound
from rampa.schema.common import Role
from rampa.schema.profiles.pictures import FolderIn, ProposalOut, SeenIn
from rampa.schema.profiles.profiles import EditWire
from tests.conftest import World
from tests.refusals import refuses
from tests.samples import DOCUMENT, add_key, build, import_title, make_folder

TITLE = "peatlight"


@pytest.fixture
def revised(client: Client) -> Client:
    """Three revisions: desktops, everywhere with mistakes, everywhere."""
    add_key(client)
    client.titles.add(FIRST, "The first.")
    client.titles.revise(TITLE, hurried(), "In a hurry.", 1)
    client.titles.revise(TITLE, EVERYWHERE, "Fixed.", 2)
    return client


def test_export_after_import_is_identical(client: Client) -> None:
    text = DOCUMENT.replace("[depots.base]", "\r\n# näher – Nebel\t\r\n[depots.base]")
    client.titles.add(text)
    assert client.titles.revision(TITLE, 1).document == text


def test_a_profile_is_resolved_with_origins_and_findings(revised: Client) -> None:
    found = revised.profiles.resolved(TITLE, "visor-release")
    settings = {s.key: s.value for s in found.settings}
    assert (found.revision, found.platform_title, found.facets) == (3, "Headset", ["headset", "release"])
    minimum = settings["system.minimum"]
    assert minimum
    assert (minimum.value, minimum.origin.layer) == ("44", "facet headset")
    assert EVERYWHERE.split("\n")[minimum.origin.line - 1].startswith("system.minimum")
    before = revised.profiles.resolved(TITLE, "visor-release", 2)
    assert {f.code for f in before.findings} >= {"code.graphics-not-set", "system.minimum-level"}
    with refuses("profile.unknown", "no profile 'visor'"):
        revised.profiles.resolved(TITLE, "visor")


def test_the_matrix_is_one_answer(revised: Client) -> None:
    found = revised.profiles.matrix(TITLE)
    assert [c.name for c in found.columns][:2] == ["linux-release", "windows-release"]
    rows = {r.key: r for r in found.rows}
    assert len(rows) >= 50
    assert all(len(r.cells) == 9 for r in found.rows)
    assert [found.columns[i].name for i in rows["title.identifier"].odd] == ["android-testing"]
    assert sum(c.blockers for c in revised.profiles.matrix(TITLE, 2).columns) == len(
        [f for f in revised.profiles.check(TITLE, 2).findings if f.severity == "blocker"]
    )


def test_profiles_revisions_and_builds_are_compared(client: Client, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    source = make_folder(tmp_path / "source", 100_000)
    build(client, source, tmp_path / "state")
    changed = DOCUMENT.replace('purpose = "release"\n', 'purpose = "release"\ncontent.compression = 9\n', 1)
    client.titles.revise(TITLE, changed, "Smaller packs.", 1)
    found = client.profiles.compare(TITLE, "#1", "linux-release")
    assert [(d.key, d.left and d.left.text, d.right and d.right.text) for d in found.differences] == [
        ("content.compression", "3", "9")
    ]
    assert found.left.says == "linux-release of build peatlight#1, revision 1"
    assert client.profiles.compare(TITLE, "linux-release@1", "linux-release@2").differences == found.differences
    across = {d.key for d in client.profiles.compare(TITLE, "linux-release", "windows-release").differences}
    assert across >= {"platform", "launch.entry"}
    for side in ("#7", "linux-release@9", "nothing"):
        with pytest.raises(NotFound):
            client.profiles.compare(TITLE, side, "linux-release")


def test_no_build_starts_with_a_blocker(revised: Client, tmp_path: Path) -> None:
    revised.titles.revise(TITLE, hurried(), "Again.", 3)
    source = make_folder(tmp_path / "source", 1000)
    with refuses("profile.blocked") as caught:
        build(revised, source, tmp_path / "state", profile="windows-release")
    assert "Debug helpers: yes; players would get the debug helpers" in caught.value.message
    assert revised.titles.get(TITLE).revision == 4


def test_an_identity_that_there_is_none_of_stops_the_build_before_it_starts(client: Client, tmp_path: Path) -> None:
    import_title(client)
    (finding,) = [f for f in client.profiles.resolved(TITLE, "linux-release").findings if f.severity == "blocker"]
    assert finding.code == "signing.identity-unknown"
    assert "rampa key make quillback-2026" in finding.hint
    with refuses("profile.blocked", "quillback-2026, and there is no identity of that name"):
        build(client, make_folder(tmp_path / "source", 1000), tmp_path / "state")
    assert client.titles.ramp(TITLE).rows[0].stops
    add_key(client)
    assert not client.titles.ramp(TITLE).rows[0].stops
    assert not [f for f in client.profiles.check(TITLE).findings if f.severity == "blocker"]


def test_the_first_code_and_an_identifier_of_its_own_are_honoured(client: Client, tmp_path: Path) -> None:
    own = 'title.identifier = "example.quillback.peatlight.trial"\nsigning.identity'
    text = DOCUMENT.replace('name = "1.4.0"', 'name = "1.4.0"\nfirst_code = 400').replace("signing.identity", own, 1)
    add_key(client)
    client.titles.add(text)
    source = make_folder(tmp_path / "source", 1000)
    codes = [
        build(client, source, tmp_path / "state", profile=p).build.version_code
        for p in ("linux-release", "linux-unsigned", "linux-unsigned")
    ]
    assert codes == [400, 400, 401]


def test_a_text_is_read_edited_and_its_problems_told(client: Client) -> None:
    edit = EditWire(path=["profiles", "linux-release", "code", "graphics"], value=["vulkan"])
    made = client.profiles.read_text(DOCUMENT, [edit])
    assert 'code.graphics = ["vulkan"]' in made.document
    assert made.matrix
    assert made.problems == []
    wrong = client.profiles.read_text(DOCUMENT.replace('"linux"', '"linus"', 1))
    assert wrong.matrix is None
    assert [(p.line, p.key) for p in wrong.problems] == [(15, "profiles.linux-release.platform")]
    with refuses("edit.no-toml", "not TOML"):
        client.profiles.read_text("a = ", [edit])


def test_a_draft_is_kept_reviewed_and_becomes_a_revision(revised: Client) -> None:
    assert revised.titles.drafts(TITLE).draft is None
    text = EVERYWHERE.replace("display.touch_controls = true", "display.touch_controls = false")
    assert revised.titles.save_draft(TITLE, text, 3, 0).version == 1
    with refuses("draft.moved", "another window"):
        revised.titles.save_draft(TITLE, "x", 3, 0)
    kept = revised.titles.drafts(TITLE).draft
    assert kept
    assert (kept.document, kept.base, kept.moved) == (text, 3, False)
    review = revised.titles.review(TITLE, text, 3)
    assert "-display.touch_controls = true" in review.difference
    changed = {p.name: [d.key for d in p.differences] for p in review.profiles}
    assert changed["ios-release"] == ["display.touch_controls"]
    assert set(changed) == {"ios-release", "android-release", "android-testing"}
    assert {(f.profile, f.severity) for f in review.findings_added} == {(name, "blocker") for name in changed}
    assert revised.titles.review(TITLE, EVERYWHERE, 3).same
    revised.titles.revise(TITLE, text, "Nobody has fingers.", 3)
    assert revised.titles.drafts(TITLE).draft is None


def test_drafts_may_be_wrong_and_are_kept_all_the_same(revised: Client) -> None:
    revised.titles.save_draft(TITLE, "[title\n", 3, 0)
    review = revised.titles.review(TITLE, "[title\n", 3)
    assert review.problems
    assert review.profiles == []
    revised.titles.drop_draft(TITLE)
    revised.titles.drop_draft(TITLE)
    assert revised.titles.drafts(TITLE).draft is None


def test_the_second_of_two_people_sees_both_changes(world: World, revised: Client) -> None:
    mine = EVERYWHERE.replace('storefront = "mossgate"', 'storefront = "mossgate"\ndisplay.streamed = true')
    theirs = EVERYWHERE.replace('name = "1.5.0"', 'name = "1.6.0"')
    with world.client(Role.ENGINEER) as other:
        revised.titles.save_draft(TITLE, mine, 3, 0)
        assert [d.person for d in other.titles.drafts(TITLE).others] == ["Iida"]
        other.titles.revise(TITLE, theirs, "The next version.", 3)
    with refuses("revision.moved", "at revision 4 now, not 3"):
        revised.titles.revise(TITLE, mine, "Streamed.", 3)
    draft = revised.titles.drafts(TITLE).draft
    assert draft
    assert draft.moved
    assert draft.document == mine
    meanwhile = revised.titles.review(TITLE, mine, 3).meanwhile
    assert meanwhile
    assert (meanwhile.by, meanwhile.message, meanwhile.clashes) == ("Engineer", "The next version.", [])
    assert '+name = "1.6.0"' in meanwhile.theirs
    assert "+display.streamed = true" in meanwhile.mine
    assert "display.streamed = true" in meanwhile.document
    assert 'name = "1.6.0"' in meanwhile.document
    clash = revised.titles.review(TITLE, EVERYWHERE.replace('name = "1.5.0"', 'name = "1.5.1"'), 3).meanwhile
    assert clash
    assert [c.theirs for c in clash.clashes] == ['name = "1.6.0"\n']


def test_a_review_names_the_builds_of_changed_profiles(client: Client, tmp_path: Path) -> None:
    add_key(client)
    import_title(client)
    build(client, make_folder(tmp_path / "source", 1000), tmp_path / "state")
    client.channels.place(TITLE, "studio", 1, client.channels.preview(TITLE, "studio", 1).etag)
    text = DOCUMENT.replace('purpose = "release"\n', 'purpose = "release"\ncontent.compression = 9\n', 1)
    (changed,) = client.titles.review(TITLE, text, 1).profiles
    assert [(b.name, b.live_on) for b in changed.builds] == [("peatlight#1", ["studio"])]


def test_a_revision_says_what_it_changed(revised: Client) -> None:
    change = revised.titles.change(TITLE, 3)
    assert change.before == 2
    assert "+code.ahead_of_time = true" in change.difference
    assert "visor-release" in {p.name for p in change.profiles}
    assert {p.state for p in revised.titles.change(TITLE, 2).profiles} == {"changed", "new"}
    assert revised.titles.change(TITLE, 1).before == 0


def test_a_document_that_a_repository_owns_changes_there(revised: Client) -> None:
    owned = revised.titles.set_owner(TITLE, "https://git.quillback.example/peatlight.git", "build/rampa.toml")
    assert owned.source_path == "build/rampa.toml"
    with refuses("document.owned", "lives in https://git"):
        revised.titles.revise(TITLE, FIRST, "Here.", 3)
    done = revised.titles.revise(TITLE, FIRST, "There.", 3, commit="0a1b2c3d")
    assert done.revision == 4
    assert revised.titles.revisions(TITLE)[0].commit == "0a1b2c3d"
    assert revised.titles.set_owner(TITLE, "").source == ""
    assert revised.titles.revise(TITLE, EVERYWHERE, "Here again.", 4).revision == 5


def test_picture_sets_and_proposals(client: Client, tmp_path: Path) -> None:
    (tmp_path / "icon.png").write_bytes(png(icon()))
    made = client.profiles.picture_sets(tmp_path / "icon.png", "icon", ["windows", "ios"], "#1f1b18")
    assert [s.platform for s in made.sets] == ["windows", "ios"]
    assert base64.b64decode(made.sets[0].files[0].data)[:4] == b"\0\0\1\0"
    assert [r.code for r in made.sets[1].remarks] == ["pictures.icon-transparent"]
    (tmp_path / "no.png").write_text("fog")
    with refuses("picture.unknown", "this is no picture"):
        client.profiles.picture_sets(tmp_path / "no.png", "icon", [], "#1f1b18")
    with refuses("platform.unknown", "no platform 'toaster'"):
        client.profiles.picture_sets(tmp_path / "icon.png", "icon", ["toaster"], "#1f1b18")
    script = base64.b64encode(b"#!/bin/sh\n").decode()
    folder = FolderIn(name="bog", files=[SeenIn(path="bin/bog", size=10, head=script, executable=True)])
    proposed = client.connection.post(ProposalOut, "/api/v1/documents/propose", folder)
    assert 'identifier = "example.quillback.bog"' in proposed.document
    assert 'launch.entry = "bin/bog"' in proposed.document


def test_compression_output_and_what_is_left_out_reach_the_build(client: Client, tmp_path: Path) -> None:
    more = 'content.compression = 19\noutput.folder = "../out"\ncontent.languages = ["en"]\nsigning.identity'
    text = DOCUMENT.replace("signing.identity", more, 1).replace(
        "leave_out_classes", 'languages = ["en", "fi"]\nlanguage_files = "locale/{language}.json"\nleave_out_classes'
    )
    add_key(client)
    client.titles.add(text)
    source = make_folder(tmp_path / "source", 400_000)
    plain = build(client, source, tmp_path / "state", profile="windows-release")
    small = build(client, source, tmp_path / "state2", profile="linux-release")
    assert (tmp_path / "out" / "peatlight-1.4.0-1-linux-release.zip").is_file()
    left = {f.path: f.why for f in client.builds.left_out(TITLE, small.build.number)}
    assert left["locale/fi.json"] == "language fi is left out"
    assert "locale/fi.json" not in {f.path for f in client.builds.left_out(TITLE, plain.build.number)}
    inside = text.replace('"../out"', '"../source/data"')
    client.titles.revise(TITLE, inside, "By mistake.", 1)
    with refuses("output.inside", "lies in the source folder"):
        build(client, source, tmp_path / "state3", profile="linux-release")


def test_the_pages_of_docs_that_are_made_are_current() -> None:
    from rampa.schema.profiles.reference import reference

    kept = Path(__file__).parents[2] / "docs/profile-document.md"
    assert kept.read_text() == reference(), "run: python -m rampa.schema.profiles.reference > docs/profile-document.md"
