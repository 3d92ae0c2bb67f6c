"""Patterns of paths: as gitignore(5) means them, with a matcher that nobody's pattern can slow down."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pathspec import GitIgnoreSpec

from rampa.core.patterns import LONGEST, pattern_problem, read_patterns
from tests.refusals import refuses

texts = st.text(alphabet="ab/*?!.[]-\\ #é^$+(){}|", max_size=12)
paths = st.text(alphabet="ab/.é#! ^$", min_size=1, max_size=12).filter(
    # Files alone are asked for: of a folder's name with a slash behind it, `?` is another line to each of the two.
    lambda p: not p.startswith("/") and "//" not in p and not p.endswith("/")
)


@given(st.lists(texts, max_size=5), paths)
def test_they_match_what_the_plain_matcher_matches(lines: list[str], path: str) -> None:
    usable = [line for line in lines if not pattern_problem(line)]
    ours, plain = read_patterns(usable), GitIgnoreSpec.from_lines(usable, backend="simple")
    assert ours.check_file(path) == plain.check_file(path)


@given(st.lists(texts, min_size=1, max_size=4))
def test_what_has_no_problem_alone_can_be_read_and_what_has_one_is_named(lines: list[str]) -> None:
    problems = [line for line in lines if pattern_problem(line) not in ("", "it is empty")]
    if not problems:
        read_patterns(lines)
        return
    with refuses("pattern.invalid", re.escape(repr(problems[0]))):
        read_patterns(lines)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "empty"),
        (" ", "empty"),
        ("a\0b", "empty"),
        ("!", "gitignore"),
        ("\\", "gitignore"),
        ("[z-a]", "brackets"),
        ("[[:alpha:]]", "brackets"),
        ("\ud800", "UTF-8"),
        ("a" * (LONGEST + 1), "longer"),
        ("*a" * (LONGEST // 2), ""),
        ("data/**/[a-f]?.arc", ""),
    ],
)
def test_a_pattern_s_problem_is_a_clause(text: str, said: str) -> None:
    problem = pattern_problem(text)
    assert said in problem
    assert bool(problem) == bool(said)


def test_more_than_fit_together_are_refused() -> None:
    many = [f"*{i}?b*c*d*e*f*{i}*" * 20 for i in range(400)]
    assert all(pattern_problem(line) == "" for line in many)
    with refuses("pattern.too-many", "400 patterns"):
        read_patterns(many)
