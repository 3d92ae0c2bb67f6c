"""Secrets never show, however they are written and wherever the stream is cut; other text comes through untouched."""

from __future__ import annotations

import base64
import json
from urllib.parse import quote

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from rampa.core.run.mask import LEAST, MASK, Masker

SECRET = "lantern-4f9c2a7e/+ü"
secrets = st.text(
    st.characters(min_codepoint=33, max_codepoint=0x2FF, exclude_categories=("Cs", "Cc")), min_size=LEAST, max_size=40
)
around = st.text(st.characters(min_codepoint=32, max_codepoint=126), max_size=30)


def shown(masker: Masker, pieces: list[str]) -> str:
    return "".join(masker.feed(p) for p in pieces) + masker.flush()


def cut(text: str, places: list[int]) -> list[str]:
    at = sorted({p % (len(text) + 1) for p in places})
    return [text[a:b] for a, b in zip([0, *at], [*at, len(text)], strict=True)]


@given(secrets, around, around, st.lists(st.integers(0, 200), max_size=8))
def test_as_it_is_in_any_pieces(secret: str, before: str, after: str, places: list[int]) -> None:
    out = shown(Masker([secret]), cut(before + secret + after, places))
    assert secret not in out
    assert MASK in out


@example("00" + "\u00a0" * 8 + "\u00a1\u00a0", bytes(7), bytes(2), [99], False)
@given(secrets, st.binary(max_size=9), st.binary(max_size=9), st.lists(st.integers(0, 200), max_size=6), st.booleans())
def test_within_base64_at_any_alignment(
    secret: str, before: bytes, after: bytes, places: list[int], safe: bool
) -> None:
    encode = base64.urlsafe_b64encode if safe else base64.b64encode
    whole = encode(before + secret.encode() + after).decode()
    out = shown(Masker([secret]), cut(f"header {whole} end", places))
    assert MASK in out
    left = out.replace("header ", "").replace(" end", "")
    # What is left beside the mask holds less than a character of the secret at either end; blanks around it may stay.
    assert len(left) - len(MASK) <= len(whole) - (len(secret.strip().encode()) * 8 // 6 - 2)


@pytest.mark.parametrize(
    "write",
    [quote, lambda s: quote(s, safe=""), json.dumps, lambda s: s.encode().hex(), lambda s: s.encode().hex().upper()],
)
def test_other_spellings(write) -> None:  # type: ignore[no-untyped-def]
    text = write(SECRET)
    out = shown(Masker([SECRET]), [f"x {text[:7]}", f"{text[7:]} y"])
    assert MASK in out
    assert text.strip('"') not in out


def test_base64_over_lines_as_its_command_writes_it() -> None:
    long = "k" * 50 + SECRET * 4
    text = base64.encodebytes(long.encode()).decode()
    assert "\n" in text.strip()
    out = shown(Masker([long]), [text[:80], text[80:]])
    assert len(out) < 12


def test_a_key_of_several_lines_is_masked_line_by_line() -> None:
    key = "-----BEGIN KEY-----\nMIGHAgEAMBMGByqGSM49\nAgEGCCqGSM49AwEHBG0\n-----END KEY-----"
    out = shown(Masker([key]), ["debug: MIGHAgEAMBMGByqGSM49\n", "at 14:02\n"])
    assert out == f"debug: {MASK}\nat 14:02\n"


@given(st.lists(around, max_size=6))
def test_without_secrets_in_it_text_comes_through_unchanged(pieces: list[str]) -> None:
    assert shown(Masker(["Ω-never-in-ascii"]), pieces) == "".join(pieces)
    assert shown(Masker([]), pieces) == "".join(pieces)


def test_only_what_may_begin_a_secret_is_held_back() -> None:
    masker = Masker(["lantern-token"])
    assert masker.feed("all is well, lan") == "all is well, "
    assert masker.feed("guid\n") == "languid\n"


def test_words_too_short_to_be_secrets_are_left_alone() -> None:
    assert shown(Masker(["abc", ""]), ["abc def"]) == "abc def"
