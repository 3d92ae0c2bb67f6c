"""The order of a title's channels."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from rampa.core.placement.channels import moved

NAMES = st.lists(st.sampled_from("abcdefgh"), min_size=1, unique=True)


def test_by_example() -> None:
    assert moved(["a", "b", "c"], "a", "b") == ["b", "a", "c"]
    assert moved(["a", "b", "c"], "c", "") == ["c", "a", "b"]
    assert moved(["a", "b", "c"], "c", "a") == ["a", "c", "b"]
    assert moved(["a", "b", "c"], "b", None) == ["a", "b", "c"]
    assert moved(["a", "b", "c"], "b", "b") == ["a", "b", "c"]


@given(NAMES, st.data())
def test_one_moves_and_the_others_keep_their_order(names: list[str], data: st.DataObject) -> None:
    name = data.draw(st.sampled_from(names))
    after = data.draw(st.sampled_from(["", *(n for n in names if n != name)]))
    got = moved(names, name, after)
    assert [n for n in got if n != name] == [n for n in names if n != name]
    assert got.index(name) == (got.index(after) + 1 if after else 0)
