"""What findings say, word for word: every rule's message and hint as a person reads them, in sentences.txt and placements.txt.

A changed sentence is a changed line there, to be read once more.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from demo.peatlight.documents import EVERYWHERE

from rampa.core.check.placement import check_placement
from rampa.core.check.profile import check_document
from rampa.core.content.tree.tree import FileEntry, Tree
from rampa.core.profile.document import read_document
from rampa.core.profile.edits import Edit, apply_edits
from tests.core.check.test_placement import CASES as CASES_OF_PLACEMENT
from tests.core.check.test_placement import GOOD, NOTHING, WINDOWS, tree
from tests.core.check.test_profile import CASES, CHANGED

LONG = "x" * 260
SENTENCES = Path(__file__).parent / "sentences.txt"
STEPS = ("[profiles.linux-release]\n", '[profiles.linux-release]\ntoolchain.steps = ["fetch", "collect", "bundel"]\n')
MANY: list[tuple[str, str, str, dict[str, object]]] = [
    *((profile, "", "", {key: value}) for profile, key, value, _ in CASES),
    *((profile, said, instead, {}) for said, instead, profile, _ in CHANGED),
    ("linux-release", *STEPS, {}),
    ("linux-release", "", "", {"toolchain__steps": ["collect", "bundle", "bundle", "sign", "complete", "export"]}),
    ("linux-release", "", "", {"content__opening": "maps/fog"}),
    ("linux-release", "", "", {"signing__identity": "fog"}),
    ("linux-release", "", "", {"launch__program_name": "con"}),
    ("windows-release", "", "", {"launch__program_name": "con.fog"}),
    ("windows-release", "", "", {"title__folder": "LPT1"}),
    ("android-release", "", "", {"content__addons": ["Winter Timetabel"]}),
    ("android-release", "", "", {"version__code": "packed", "version__per_architecture": True}),
    ("linux-release", "", "", {"version__code": "packed", "version__name": "1.4.1000"}),
]


def said() -> list[str]:
    """A paragraph for each changed document: what changed, then the findings that came with it, blockers first."""
    known = {f.name for f in check_document(read_document(EVERYWHERE.encode()), frozenset({"quillback-2026"}))}
    out = []
    for profile, before, after, settings in MANY:
        edits = [Edit(("profiles", profile, *key.split("__")), value) for key, value in settings.items()]
        text = apply_edits(EVERYWHERE.replace(before, after, 1) if before else EVERYWHERE, edits)
        found = check_document(read_document(text.encode()), frozenset({"quillback-2026"}))
        change = ", ".join(f"{key.replace('__', '.')} = {value!r}" for key, value in settings.items())
        out.append(f"{profile or 'document'}: {change or f'{before!r} -> {after!r}'}")
        for one in (f for f in found if f.profile == profile and f.name not in known):
            out.append(f"  {one.severity} {one.code} {one.key} = {one.value!r}, {one.origin.words()}")
            out += [f"    {one.message}", f"    {one.hint}"]
    return out


def placed() -> list[str]:
    """What a placement is told, by rule; then a build with many of everything."""
    many = tree(*(f"data/{name}{i}{end}" for i in range(7) for name in ("fog", "FOG") for end in ("", "?", LONG)))
    wrong = replace(
        WINDOWS,
        undelivered=tuple(f"notes/{i}" for i in range(7)),
        depots={"base": many, "more": many, "third": tree("data/fog0")},
    )
    plain = Tree((FileEntry("bin/peatlight", 0, False, bytes(32), ()),))
    builds = [(build, standing) for build, standing, _ in CASES_OF_PLACEMENT]
    out = []
    for build, standing in [*builds, (replace(GOOD, depots={"base": plain}), NOTHING), (wrong, NOTHING)]:
        for one in check_placement(build, standing):
            out += [f"{one.severity} {one.code} {one.where}", f"  {one.message}", f"  {one.hint}"]
    return [line.replace(LONG, "x…") for line in dict.fromkeys(out)]


def test_placements_are_told_as_it_was_read() -> None:
    assert placed() == (SENTENCES.parent / "placements.txt").read_text().splitlines()


def test_findings_are_said_as_they_were_read() -> None:
    assert said() == SENTENCES.read_text().splitlines()
