"""The questionnaire and the storefronts' tables."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.listing.rating import QUESTIONS, answers_digest, missing
from rampa.core.listing.table import LISTING_RULES

MILDEST = {name: next(iter(q.answers)) for name, q in QUESTIONS.items()}
ANSWERS = st.fixed_dictionaries({name: st.sampled_from(list(q.answers)) for name, q in QUESTIONS.items()})


@pytest.mark.parametrize("storefront", LISTING_RULES)
def test_tables_name_real_answers_and_levels(storefront: str) -> None:
    table = LISTING_RULES[storefront].rating
    for (question, answer), level in table.at_least.items():
        assert answer in QUESTIONS[question].answers
        assert level in table.levels
    assert table.rate(MILDEST) == (next(iter(table.levels)), [])


def test_one_title_is_rated_by_each_storefront_in_its_own_way() -> None:
    answers = MILDEST | {"fear": "eerie", "motion": "gentle"}
    rated = {name: rules.rating.rate(answers) for name, rules in LISTING_RULES.items()}
    assert rated == {
        "northquay": ("from-8", ["fear"]),
        "mossgate": ("sapling", ["fear"]),
        "visorfield": ("from-11", ["fear", "motion"]),
    }


@given(ANSWERS, st.sampled_from(list(QUESTIONS)))
def test_a_harder_answer_never_makes_a_rating_milder(answers: dict[str, str], question: str) -> None:
    order = list(QUESTIONS[question].answers)
    for rules in LISTING_RULES.values():
        levels = list(rules.rating.levels)
        rated = [levels.index(rules.rating.rate(answers | {question: a})[0]) for a in order]
        assert rated == sorted(rated)


def test_an_answer_is_missing_until_it_is_one_of_its_question() -> None:
    assert missing(MILDEST) == []
    assert missing(MILDEST | {"fear": "a lot"}) == ["fear"]
    assert missing({}) == list(QUESTIONS)
    assert answers_digest(MILDEST) != answers_digest(MILDEST | {"fear": "eerie"})
    assert answers_digest(MILDEST) == answers_digest(dict(reversed(MILDEST.items())))
