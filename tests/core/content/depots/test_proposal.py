"""Depots that are proposed: each saves some player enough, and its patterns take its files and no others."""

from __future__ import annotations

import tomllib

from blake3 import blake3
from hypothesis import given, settings
from hypothesis import strategies as st

from rampa.core.content.depots.depots import DepotRule, takers
from rampa.core.content.depots.proposal import DepotProposal, Worth, addon_of, language_of, propose
from rampa.core.content.tree.tree import Chunk, FileEntry, Tree

ANYTHING = Worth(0, 0)


def tree(files: dict[str, int]) -> Tree:
    entries = []
    for path, size in sorted(files.items()):
        digest = blake3(path.encode()).digest()
        entries.append(FileEntry(path, size, False, digest, (Chunk(digest, size),)))
    return Tree(tuple(entries))


def taken(found: DepotProposal, path: str) -> list[str]:
    """The depots of the document that take it."""
    tables = tomllib.loads(found.text)["depots"]
    rules = [DepotRule(n, tuple(t.get("only", ["*"])), tuple(t.get("not", []))) for n, t in tables.items()]
    return [name for name, takes in takers(tuple(rules)) if takes(path)]


def export(platform: str) -> dict[str, int]:
    voices = {f"voice/{word}/fog.ogg": size for word, size in (("en", 80_000), ("fi", 90_000))}
    return {"data/bog.arc": 300_000, "addons/winter/ice.arc": 50_000, f"bin/peatlight-{platform}": 20_000} | voices


def test_each_saves_what_players_without_it_need_not_install() -> None:
    found = propose({p: tree(export(p)) for p in ("linux", "windows")})
    depots = {d.name: d for d in found.depots}
    # Each platform has a folder of its own: what only one of them has costs players of the others nothing.
    assert set(depots) == {"base", "en", "fi", "winter"}
    assert depots["fi"].only == ("/voice/fi/",)
    assert depots["fi"].saves == {"linux": 90_000, "windows": 90_000}
    saving = next(s for s in found.savings if (s.platform, s.language) == ("linux", "fi"))
    assert (saving.now, saving.then) == (540_000, 410_000)
    assert tomllib.loads(found.text)["depots"]["winter"]["addon"] == "winter"
    assert taken(found, "voice/fi/new.ogg") == ["fi"]


def test_what_saves_nobody_enough_goes_with_everybody_s() -> None:
    words = {f"text/menu_{word}.qm": 20_000 for word in ("en", "fi", "es", "de")}
    found = propose({"linux": tree(export("linux") | words)}, Worth(0.1, 1_000_000))
    assert [d.name for d in found.depots] == ["base", "en", "fi"], "voices and texts of one language are one depot"
    assert [(t.what, t.saves) for t in found.too_small] == [("winter", 50_000), ("de", 20_000), ("es", 20_000)]
    assert taken(found, "text/menu_de.qm") == ["base"]
    alone = propose({"linux": tree(export("linux"))}, Worth(0.5, 1_000_000))
    assert [d.name for d in alone.depots] == ["base"]
    assert tomllib.loads(alone.text) == {"depots": {"base": {}}}


def test_patterns_hold_for_the_next_export_and_spare_what_only_looks_alike() -> None:
    files = {
        f"lib/translations/{part}_{word}.qm": 50_000 for part in ("app", "help", "base") for word in ("fi", "pt_BR")
    }
    found = propose({"linux": tree(files | {"data/bog.arc": 100_000})}, ANYTHING)
    assert {d.name: d.only for d in found.depots} == {"base": (), "fi": ("*_fi.qm",), "pt-br": ("*_pt_BR.qm",)}
    assert taken(found, "lib/translations/menus_fi.qm") == ["fi"]
    # A file of an addon has that ending, too: the pattern names the folder then.
    shared = propose({"linux": tree(files | {"addons/ice/app_fi.qm": 10_000})}, ANYTHING)
    assert next(d for d in shared.depots if d.name == "fi").only == ("/lib/translations/*_fi.qm",)


def test_languages_and_addons_are_seen_by_their_names() -> None:
    named = ("locale/pt-BR.json", "lang/fi/a.txt", "data/at.arc", "a/menu_es.po")
    assert [language_of(p) for p in named] == ["pt-BR", "fi", "", "es"]
    assert addon_of("addons/winter-timetable/x") == "winter-timetable"


words = st.sampled_from(
    ["fog", "ice", "voice", "locale", "fi", "en", "es", "addons", "winter", "bog-high", "bog-low", "a b", "#1", "[x]"]
)
names = st.sampled_from(["a_fi.qm", "a_en.qm", "b.es.json", "fog.ogg", "!mark", "x*", "fi", "high.tex"])
paths = st.builds(lambda folders, name: "/".join([*folders, name]), st.lists(words, max_size=3), names)


@settings(max_examples=150)
@given(
    st.dictionaries(paths, st.integers(1, 9000), min_size=1, max_size=14),
    st.sampled_from([ANYTHING, Worth(0.2, 10**9)]),
)
def test_whatever_the_names_are_every_file_is_one_depot_s(files: dict[str, int], worth: Worth) -> None:
    # A file cannot lie where a folder does.
    kept = {p: s for p, s in files.items() if not any(other.startswith(p + "/") for other in files)}
    found = propose({"linux": tree(kept)}, worth)
    assert sum(d.files for d in found.depots) == len(kept)
    for path in kept:
        assert len(taken(found, path)) == 1, path
