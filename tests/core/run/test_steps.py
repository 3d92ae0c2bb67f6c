"""The steps of a run: what a profile lists, what is put in, what is wrong with a list."""

from __future__ import annotations

import pytest

from rampa.core.check.profile import check_document, stops_a_build
from rampa.core.profile.document import Document, read_document
from rampa.core.profile.problems import DocumentInvalid
from rampa.core.run.step import Step
from rampa.core.run.steps import listed, step_problems, steps_of
from tests.samples import DOCUMENT

USUAL = ("fetch", "collect", "check", "bundle", "sign", "depots", "complete")
TOOL = 'toolchain.name = "lantern-export"\ntoolchain.export = ["lantern-export", "export"]\n'


def document(profile: str = "", tables: str = "") -> Document:
    text = DOCUMENT.replace('launch.entry = "bin/peatlight"\n', f'launch.entry = "bin/peatlight"\n{profile}', 1)
    return read_document((text + tables).encode())


def names(profile: str = "", tables: str = "") -> tuple[str, ...]:
    made = document(profile, tables)
    return listed(made.profiles["linux-release"])


def test_what_is_not_said_is_put_where_it_belongs() -> None:
    assert names() == USUAL
    assert listed(document().profiles["linux-unsigned"]) == tuple(n for n in USUAL if n != "sign")
    assert names(TOOL) == ("fetch", "toolchain", "export", *USUAL[1:])
    given = 'toolchain.steps = ["collect", "bundle", "sign", "notify"]\n'
    assert names(given) == ("fetch", "collect", "bundle", "sign", "depots", "complete", "notify")
    assert names('toolchain.steps = ["fetch", "collect"]\n') == ("fetch", "collect")


def test_facets_add_take_and_reorder() -> None:
    facets = (
        '\n[facets.a]\ntoolchain.steps = { add = ["notify"] }\n[facets.b]\ntoolchain.steps = { take = ["check"] }\n'
    )
    own = 'toolchain.steps = ["collect", "check", "bundle"]\n'
    text = DOCUMENT.replace("[profiles.linux-release]\n", '[profiles.linux-release]\nfacets = ["a", "b"]\n') + facets
    text = text.replace("[content]", f"[toolchain]\n{own.replace('toolchain.', '')}\n[content]", 1)
    got = listed(read_document(text.encode()).profiles["linux-release"])
    assert got == ("fetch", "collect", "bundle", "depots", "complete", "notify")


def test_a_command_of_the_titles_own_with_its_limits() -> None:
    tables = """
[steps.atlas]
command = ["python3", "tools/atlas.py", "--out", "{out}"]
folder = "tools"
variables = ["QUALITY=full"]
seconds = 90
memory = 512
retries = 2
when = "release"

[steps.bundle]
seconds = 30
"""
    made = document('toolchain.steps = ["fetch", "atlas", "collect", "bundle"]\n', tables)
    steps = {s.name: s for s in steps_of(made, made.profiles["linux-release"])}
    assert steps["atlas"] == Step(
        "atlas", "command", ("python3", "tools/atlas.py", "--out", "{out}"), "tools", ("QUALITY=full",),
        seconds=90, memory=512, retries=2, when="release",
    )  # fmt: skip
    assert (steps["bundle"].seconds, steps["bundle"].kind) == (30, "bundle")
    assert steps["fetch"].retries == 2


@pytest.mark.parametrize(
    ("steps", "tables", "said"),
    [
        ('["fetch", "exprot"]', "", "no step 'exprot' is known"),
        ('["export", "collect"]', "", "the step export has no command"),
        ('["bundle", "collect"]', "", "the step bundle needs collect before it"),
        ('["collect", "collect"]', "", "the step collect is listed twice"),
        ('["collect", "sign", "bundle"]', "", "the step sign needs bundle before it"),
        (
            '["collect"]',
            '\n[steps.collect]\ncommand = ["true"]\n',
            "[steps.collect] has a command, and collect is a built-in step",
        ),
    ],
)
def test_what_is_wrong_is_said_and_stops_a_build(steps: str, tables: str, said: str) -> None:
    made = (
        document(f"toolchain.steps = {steps}\n", tables) if "[steps.collect]" not in tables else document(tables=tables)
    )
    assert any(said in message for _, message, _ in step_problems(made, made.profiles["linux-release"]))
    assert any(said in f.message for f in stops_a_build(check_document(made)))


@pytest.mark.parametrize(
    ("table", "said"),
    [
        ('[steps.a]\ncommand = "make"\n', "this must be a list of texts"),
        ('[steps.a]\nfolder = "../other"\n', "a folder inside the source"),
        ('[steps.a]\nvariables = ["NO"]\n', "it must read NAME=value"),
        ("[steps.a]\nseconds = 0\n", "0 is not between 1 and 86400"),
        ('[steps.a]\nwhen = "sometimes"\n', "is not allowed here"),
        ("[steps.a]\nsecs = 3\n", "this key is not known"),
        ("[steps.A_B]\n", "cannot name a step"),
    ],
)
def test_tables_of_steps_are_read_strictly(table: str, said: str) -> None:
    with pytest.raises(DocumentInvalid) as raised:
        document(tables="\n" + table)
    assert any(said in p.message and p.line > 30 for p in raised.value.problems)


@pytest.mark.parametrize(
    ("when", "well", "failed"),
    [
        ("success", True, False),
        ("always", True, True),
        ("failure", False, True),
        ("release", True, False),
        ("testing", False, False),
    ],
)
def test_when(when: str, well: bool, failed: bool) -> None:
    step = Step("a", "command", when=when)
    assert (step.wanted("release", False), step.wanted("release", True)) == (well, failed)
