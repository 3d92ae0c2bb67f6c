"""Profile documents: every problem with its line and column, all at once; each resolved rule with its origin."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.profile.document import read_document
from rampa.core.profile.problems import DocumentInvalid
from rampa.core.profile.resolved import bundle_name, resolve
from tests.refusals import refuses
from tests.samples import DOCUMENT


def problems(text: str | bytes) -> list[tuple[int, int, str]]:
    with pytest.raises(DocumentInvalid) as caught:
        read_document(text.encode() if isinstance(text, str) else text)
    return [(p.line, p.column, p.message) for p in caught.value.problems]


def line_of(text: str, part: str) -> int:
    return text[: text.index(part)].count("\n") + 1


CASES = [
    ('name = "Peatlight"', "nam = 3", "this key is not known"),
    ("example.quillback.peatlight", "Peatlight", "'Peatlight' cannot be used: it must be reverse-domain"),
    ('name = "1.4.0"', 'name = "1/4"', "'1/4' cannot be used: it must be 1 to 64 printable"),
    ('platform = "linux"', 'platform = "linus"', "'linus' is not allowed here"),
    ('platform = "linux"', "platform = 3", "this must be a text in quotes, and is a number"),
    (
        'architectures = ["x86_64"]',
        'architectures = ["x86_64", "mips"]',
        "'mips' cannot be used: it is no architecture",
    ),
    ('launch.entry = "bin/peatlight"', 'launch.entry = "../peatlight"', "'../peatlight' cannot be used"),
    ('leave_out_classes = ["symbols"]', 'leave_out_classes = ["symbol"]', "'symbol' is not allowed here"),
    (
        'launch.entry = "bin/peatlight"',
        'output.bundle = "a\\"b-{version}"\nlaunch.entry = "x"',
        "'a\"b-{version}' cannot be used: it may hold letters",
    ),
    ("[depots.base]", "[depots.Base]", "'Base' cannot name a depot"),
    ('not = ["locale/"]', 'not = "locale/"', "this must be a list of texts, and is a text"),
    ('purpose = "release"', "code.ahead_of_time = 1", "this must be true or false, and is a number"),
    ('purpose = "release"', "content.compression = 20", "20 is not between 0 and 19"),
    (
        'purpose = "release"',
        'content.leave_out = { ad = ["x"] }',
        "a list is replaced by a list, or changed by add and take",
    ),
    ('purpose = "release"', 'system.permissions = { camera = "why" }', "'why' cannot be used: it must say in 10"),
    ('purpose = "release"', 'launch.entries = { mips = "bin/a" }', "'mips' cannot stand here: it is no architecture"),
    ('purpose = "release"', 'output.folder = "out"', "'out' cannot be used: it must lie outside the source tree"),
    ('purpose = "release"', 'output.bundle = "{title}"', "'{title}' cannot be used: it must hold {version}"),
    ('purpose = "release"', 'facets = ["destkop"]', "there is no facet 'destkop'"),
    (
        'leave_out = ["*.draft.*"]',
        'leave_out = ["*.draft.*"]\n[code]\narchitectures = true\n[x]',
        "this must be a list of texts",
    ),
]


@pytest.mark.parametrize(("old", "new", "says"), CASES)
def test_a_mistake_is_found_where_it_stands(old: str, new: str, says: str) -> None:
    text = DOCUMENT.replace(old, new, 1)
    found = problems(text)
    assert any(
        message.startswith(says) and abs(line - line_of(DOCUMENT, old)) <= new.count("\n") for line, _, message in found
    ), found


def test_all_mistakes_come_at_once() -> None:
    text = DOCUMENT
    for old, new, _ in CASES[1:5]:
        text = text.replace(old, new, 1)
    assert len(problems(text)) >= 3


def test_columns_are_those_of_characters() -> None:
    text = DOCUMENT.replace('name = "Peatlight"', 'näme = "ä"', 1)
    assert (2, 1, "invalid statement") in problems(text) or problems(text)[0][:2] == (2, 2)
    good = DOCUMENT.replace('include = ["bin/", ', 'include = ["ä/", 3, ')
    assert (10, 18, "this must be a text in quotes, and is a number") in problems(good)


@pytest.mark.parametrize(
    ("data", "line", "says"),
    [
        (b"", 1, "the table [title] is missing"),
        (b"\xff", 1, "this byte is not UTF-8"),
        (b"a = 1\nb = \xff", 2, "this byte is not UTF-8"),
        (b"[title]\nname = \n", 2, "invalid value"),
        (b'\na = "\0"', 2, "this is a NUL byte"),
        (b"x = 1\nx = 2\n", 2, "this key stands in line 1 already"),
        (b"x = " + b"[" * 500 + b"]" * 500, 1, "nested"),
        (b"title = 3", 1, "this must be a table"),
    ],
)
def test_text_that_is_no_document(data: bytes, line: int, says: str) -> None:
    assert any(found[0] == line and says in found[2] for found in problems(data)), problems(data)


def test_a_huge_document_is_refused_at_once() -> None:
    assert "it is 5.0 MB long" in problems(b"#" * 5_000_000)[0][2]
    assert "at most 3000" in problems("\n[facets.a]" * 4000)[0][2]
    assert "at most 40000" in problems("x = [" + "1," * 50_000 + "]")[0][2]
    many = DOCUMENT + "".join(f"key{i} = {i}\n" for i in range(10_000))
    assert len(problems(many)) == 10_000


@given(st.text(max_size=200))
def test_noise_is_refused_with_a_sentence(text: str) -> None:
    assert problems(text.encode("utf-8", "surrogatepass"))


def test_a_build_gets_its_rules_with_origins() -> None:
    profile = resolve(read_document(DOCUMENT.encode()), "linux-release")
    assert profile.settings.title.identifier == "example.quillback.peatlight"
    assert [(p.text, p.origin) for p in profile.rules.include] == [
        ("bin/", "rampa.toml:10"), ("data/", "rampa.toml:10"), ("locale/", "rampa.toml:10"),
    ]  # fmt: skip
    assert ("*.draft.*", "rampa.toml:11") in {(p.text, p.origin) for p in profile.rules.leave_out}
    assert (".git/", "always") in {(p.text, p.origin) for p in profile.rules.leave_out}
    assert [d.name for d in profile.depots] == ["base", "languages"]
    assert bundle_name(profile, "peatlight", "1.4.0", 7) == "peatlight-1.4.0-7-linux-release"
    with refuses("profile.unknown", "no profile 'mac'") as caught:
        resolve(read_document(DOCUMENT.encode()), "mac")
    assert "linux-release" in caught.value.hint
