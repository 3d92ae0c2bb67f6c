"""Whatever a document holds, reading it ends in a document or in problems with places; and whatever reads can be used."""

from __future__ import annotations

import tomllib
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rampa.core.check.profile import check_document
from rampa.core.errors import Refused
from rampa.core.profile.comparison import compare
from rampa.core.profile.document import read_document
from rampa.core.profile.edits import apply_edits, literal
from rampa.core.profile.matrix import matrix
from rampa.core.profile.problems import DocumentInvalid, DocumentProblem
from rampa.core.profile.resolved import bundle_name, resolve
from rampa.core.profile.settings.kinds import Setting
from rampa.core.profile.settings.table import SETTINGS
from rampa.schema.profiles.of_core import layers_out, matrix_out

SCALARS = st.one_of(
    st.booleans(), st.integers(-5, 50), st.floats(allow_nan=False, allow_infinity=False), st.text(max_size=12)
)
ANYTHING = st.recursive(
    SCALARS,
    lambda inner: st.one_of(
        st.lists(inner, max_size=3),
        st.dictionaries(st.sampled_from(["add", "take", "a", "arm64", "linux"]), inner, max_size=3),
    ),
    max_leaves=6,
)


def problems(text: str) -> list[DocumentProblem]:
    try:
        read_document(text.encode())
    except DocumentInvalid as error:
        return error.problems or [DocumentProblem(0, 0, "", "an error without problems")]
    return []


def right(setting: Setting) -> st.SearchStrategy[Any]:
    """Values that the setting takes: its choices, its example, parts of it, changes of a list."""
    example = tomllib.loads(f"v = {setting.example}")["v"]
    if setting.kind == "flag":
        return st.booleans()
    if setting.kind == "number":
        return st.integers(setting.least, 20)
    if setting.kind == "text":
        return st.sampled_from(setting.allowed or (example,))
    if setting.kind == "texts":
        items = st.lists(st.sampled_from(setting.allowed or example), unique=True, max_size=3)
        filled = st.lists(st.sampled_from(setting.allowed or example), unique=True, min_size=1, max_size=3)
        return filled | st.fixed_dictionaries({}, optional={"add": items, "take": items})
    return st.fixed_dictionaries({}, optional={name: st.just(text) | st.just(False) for name, text in example.items()})


RIGHT = {key: right(setting) for key, setting in SETTINGS.items()}
VALUES = {key: strategy | ANYTHING for key, strategy in RIGHT.items()}


@st.composite
def layer(draw: st.DrawFn, values: dict[str, st.SearchStrategy[Any]]) -> list[str]:
    keys = draw(st.lists(st.sampled_from(sorted(SETTINGS)), unique=True, max_size=6))
    return [f"{key} = {literal(draw(values[key]))}" for key in keys]


@st.composite
def documents(draw: st.DrawFn, values: dict[str, st.SearchStrategy[Any]]) -> str:
    lines = ['title = { name = "A", identifier = "a.b", studio = "C" }', 'version = { name = "1.0.0" }']
    if values is VALUES and draw(st.booleans()):
        lines.append(
            f"{draw(st.sampled_from(['facets', 'profiles', 'depots', 'code', 'x']))} = {literal(draw(ANYTHING))}"
        )
        return "\n".join(lines)
    lines += ["[facets.f]", *draw(layer(values)), "[facets.g]", 'facets = ["f"]', *draw(layer(values))]
    for name in draw(st.lists(st.sampled_from(["p", "q", "r"]), unique=True, min_size=1)):
        own = draw(layer(values))
        said = {line.partition(" = ")[0] for line in own}
        needed = {
            "platform": '"headset"', "purpose": '"release"', "content.include": '["bin/"]',
            "code.architectures": '["arm64"]', "launch.entry": '"bin/a"',
        }  # fmt: skip
        lines += [f"[profiles.{name}]", 'facets = ["g"]', *own]
        lines += [f"{key} = {value}" for key, value in needed.items() if key not in said]
    return "\n".join([*lines, "[depots.base]", ""])


@pytest.mark.slow
@given(documents(VALUES))
@settings(max_examples=300)
def test_anything_is_a_document_or_has_problems_with_places(text: str) -> None:
    lines = text.split("\n")
    for problem in problems(text):
        assert 1 <= problem.line <= len(lines)
        assert 1 <= problem.column <= len(lines[problem.line - 1]) + 1


@pytest.mark.slow
@given(documents(RIGHT))
@settings(max_examples=150)
def test_whatever_reads_can_be_checked_fixed_compared_and_built(text: str) -> None:
    try:
        read = read_document(text.encode())
    except DocumentInvalid:
        return
    found = check_document(read)
    assert matrix_out("", 0, read, found).columns
    assert layers_out(read)
    profiles = list(read.profiles.values())
    assert all(len(row.cells) == len(profiles) for row in matrix(profiles))
    for profile in profiles:
        compare(profiles[0], profile)
        assert bundle_name(resolve(read, profile.name), "a", "1.0.0", 3)
    for finding in found:
        try:
            fixed = apply_edits(text, list(finding.fix))
        except Refused:
            continue  # the document says it in a way that a machine does not rewrite
        read_document(fixed.encode())
