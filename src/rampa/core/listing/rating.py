"""Age ratings: one questionnaire, and each storefront's own table that makes a rating of the answers.

The questions are ours; the tables and levels are made up with the storefronts.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass

VERSION = 1
"""Of the questions. With another one everybody is asked again."""


@dataclass(frozen=True, slots=True)
class Question:
    """`answers`: code -> words, the mildest first."""

    name: str
    text: str
    answers: Mapping[str, str]


def _asked(name: str, text: str, **answers: str) -> Question:
    return Question(name, text, answers)


YES_NO = {"no": "No", "yes": "Yes"}
QUESTIONS: dict[str, Question] = {
    q.name: q
    for q in (
        _asked(
            "harm",
            "Do figures hurt one another?",
            none="Never",
            playful="As in a cartoon, without pain",
            serious="With pain or blood",
            cruel="In detail, or for pleasure",
        ),
        _asked(
            "fear",
            "Is it made to frighten?",
            none="No",
            eerie="It is dark or eerie in places",
            horror="Fright is what it is about",
        ),
        _asked(
            "language",
            "How do people speak in it?",
            mild="As one does before children",
            coarse="Coarsely in places",
            abusive="With abuse of groups of people, or much of it",
        ),
        _asked(
            "intimacy",
            "Is there nudity or sex?",
            none="No",
            hinted="It is hinted at",
            shown="It is shown",
        ),
        _asked(
            "substances",
            "Are alcohol, tobacco or other drugs used?",
            none="No",
            seen="They are seen in places",
            praised="Using them helps in the game",
        ),
        _asked(
            "chance",
            "Is there play for stakes?",
            none="No",
            tokens="For tokens that cannot be bought",
            money="For money, or for what money buys",
        ),
        Question("spending", "Can players buy something inside?", YES_NO),
        _asked(
            "contact",
            "Can players reach one another?",
            none="No",
            chosen="People whom they chose",
            anybody="Anybody",
        ),
        Question("place_shared", "Is a player's place shared with others?", YES_NO),
        _asked(
            "motion",
            "How does the view move?",
            still="Only as the player moves it",
            gentle="Slowly by itself",
            strong="Fast or turning by itself",
        ),
    )
}


@dataclass(frozen=True, slots=True)
class RatingTable:
    """`levels` from the mildest on: code -> words. `at_least`: (question, answer) -> the level that it leads to.

    An answer that is not listed leads to the mildest.
    """

    levels: Mapping[str, str]
    at_least: Mapping[tuple[str, str], str]

    def rate(self, answers: Mapping[str, str]) -> tuple[str, list[str]]:
        """(level, the questions whose answers led there). The answers are whole."""
        order = list(self.levels)
        led = {name: order.index(self.at_least.get((name, answers[name]), order[0])) for name in QUESTIONS}
        highest = max(led.values())
        return order[highest], [name for name, level in led.items() if level == highest and highest > 0]


def missing(answers: Mapping[str, str]) -> list[str]:
    """Questions without an answer, or with one that is none of theirs."""
    return [name for name, q in QUESTIONS.items() if answers.get(name) not in q.answers]


def answers_digest(answers: Mapping[str, str]) -> bytes:
    """SHA-256 of the questions' version and the answers: what an affirmation was given for."""
    said = "\n".join([str(VERSION), *(f"{name}={answers.get(name, '')}" for name in QUESTIONS)])
    return hashlib.sha256(said.encode()).digest()
