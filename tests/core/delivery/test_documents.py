"""The documents of a delivery, read back; and what is none of them."""

from __future__ import annotations

import json
import os
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rampa.core.content.pack.encryption import wrap
from rampa.core.delivery import line as line_format
from rampa.core.delivery import names, places
from rampa.core.delivery.line import LineBuild, OriginPlace, SignedFile, SignedLine
from rampa.core.delivery.places import BuildPlaces, UpdatePlaces
from rampa.core.install.file_delivery import decode_keys, encode_keys, fetch_signed
from rampa.core.placement.share import OfferedBuild
from tests.refusals import refuses

DIGESTS = st.binary(min_size=32, max_size=32).map(bytes.hex)
SIZES = st.integers(0, 2**28)
FILES = st.builds(SignedFile, DIGESTS, SIZES)
COUNTS = st.integers(0, 2**40)
OFFERED = st.builds(
    OfferedBuild, COUNTS, COUNTS, DIGESTS, st.text(max_size=40), st.integers(0, 1000), st.booleans(), st.booleans()
)
LINES = st.builds(
    SignedLine,
    st.text(max_size=20),
    st.text(max_size=20),
    st.text(max_size=20),
    COUNTS,
    st.lists(st.builds(LineBuild, OFFERED, SIZES, FILES), max_size=4).map(tuple),
    st.lists(st.builds(OriginPlace, st.text(max_size=30), COUNTS), max_size=3).map(tuple),
    st.text(max_size=20),
)
NAMES = st.text("abcdef-", min_size=1, max_size=8)
UPDATES = st.builds(
    UpdatePlaces, st.dictionaries(NAMES, FILES, max_size=3), st.lists(NAMES, max_size=3).map(tuple), st.none() | FILES
)
PLACES = st.builds(
    BuildPlaces,
    st.dictionaries(NAMES, FILES, max_size=3),
    st.dictionaries(st.integers(1, 9999), UPDATES, max_size=3),
    st.dictionaries(DIGESTS, st.dictionaries(DIGESTS, SIZES, max_size=2), max_size=2),
    st.none() | FILES,
    st.booleans(),
)
LINE = SignedLine(
    "t", "early", "linux", 1, (LineBuild(OfferedBuild(1, 1, "a" * 64, "r", 5), 9, SignedFile("b" * 64, 9)),)
)


@given(LINES)
def test_a_line_is_read_as_it_was_written(line: SignedLine) -> None:
    assert line_format.decode(line_format.encode(line)) == line


@given(PLACES)
def test_places_are_read_as_they_were_written(found: BuildPlaces) -> None:
    assert places.decode(places.encode(found)) == found


def changed(change: Callable[[dict], object]) -> bytes:
    body = json.loads(line_format.encode(LINE))
    change(body)
    return json.dumps(body).encode()


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"[]",
        b"[" * 9000,
        changed(lambda b: b.update(kind="other")),
        changed(lambda b: b["builds"].extend(b["builds"] * 30)),
        changed(lambda b: b["origins"].extend([{"address": "x", "priority": 1}] * 30)),
        changed(lambda b: b["builds"][0]["offered"].update(build=-1)),
        changed(lambda b: b["builds"][0]["offered"].update(share=2**60)),
        changed(lambda b: b["builds"][0]["offered"].update(code=True)),
        changed(lambda b: b["builds"][0]["places"].update(digest="../../etc/passwd")),
        changed(lambda b: b["builds"][0]["places"].update(size=2**40)),
    ],
)
def test_what_is_no_line(data: bytes) -> None:
    with refuses("line.damaged"):
        line_format.decode(data)


def test_another_title_s_line_is_not_this_one_s() -> None:
    with refuses("line.other"):
        line_format.must_be_line(LINE, "t", "windows")


@pytest.mark.parametrize("data", [b"", b"{}", b'{"kind":"rampa-places-1","depots":[]}', b"[" * 9000])
def test_what_are_no_places(data: bytes) -> None:
    with refuses("places.damaged"):
        places.decode(data)


@pytest.mark.parametrize(
    "name",
    [
        "",
        "../metadata/timestamp.json",
        "metadata/../../timestamp.json",
        "metadata/0.root.json",
        "files/" + "A" * 64,
        "packs/" + "a" * 63 + ".pack",
        "packs/" + "a" * 64 + ".pack/..",
        "metadata/timestamp.json\n",
        "written.json",
    ],
)
def test_no_other_name_is_written_anywhere(name: str) -> None:
    with refuses("delivery.name"):
        names.must_be_name(name)


@given(st.binary(max_size=200))
def test_names_say_what_is_in_them(data: bytes) -> None:
    for name in (names.file_name(data), names.target_name("channel-" + "a" * 32 + "/linux", data)):
        assert names.must_be_name(name) == name
        assert names.holds(name, data)
        assert not names.holds(name, data + b"x")


def test_keys_are_read_as_they_were_written() -> None:
    unsealing, ident, key = os.urandom(32), os.urandom(16), os.urandom(32)
    data = encode_keys(unsealing, {ident: wrap(key, ident, unsealing, os.urandom)})
    assert decode_keys(data) == {ident: key}
    for spoilt in (b"", b"{}", data.replace(b"keys", b"kees")):
        with refuses("keys.damaged"):
            decode_keys(spoilt)


def test_a_file_is_the_one_that_was_signed() -> None:
    class Liar:
        def fetch(self, name: str, limit: int) -> bytes:
            return b"another"

        def span(self, name: str, offset: int, size: int) -> bytes:
            return b""

    with refuses("delivery.swapped"):
        fetch_signed(Liar(), SignedFile("a" * 64, 7))
