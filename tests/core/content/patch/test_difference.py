"""Differences: whatever was changed comes back byte for byte; hostile ones fail, and never overflow."""

from __future__ import annotations

import random
import struct
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rampa.core.binaries.segments import read_image
from rampa.core.content.patch import maker
from rampa.core.content.patch.format import is_dense, read_varints, varints
from rampa.core.content.patch.pairs import counterparts
from rampa.core.content.tree.tree import Chunk, FileEntry, Tree
from rampa.core.errors import Damaged
from tests.core.content.patch.difference_reader import read_difference
from tests.refusals import refuses
from tests.samples import noise, words

pytestmark = pytest.mark.skipif(not maker.available(), reason="there is no C compiler here")


def edited(data: bytes, seed: int, edits: int) -> bytes:
    """Bytes changed, put in, taken out and moved about."""
    luck = random.Random(seed)
    out = bytearray(data)
    for _ in range(edits):
        at = luck.randrange(len(out) + 1)
        what = luck.randrange(4)
        if what == 0 and at < len(out):
            out[at] = luck.randrange(256)
        elif what == 1:
            out[at:at] = luck.randbytes(luck.randrange(1, 400))
        elif what == 2:
            del out[at : at + luck.randrange(1, 400)]
        else:
            piece = out[at : at + luck.randrange(1, 3000)]
            del out[at : at + len(piece)]
            to = luck.randrange(len(out) + 1)
            out[to:to] = piece
    return bytes(out) or b"x"


contents = st.one_of(
    st.binary(min_size=1, max_size=3000),
    st.builds(noise, st.integers(1, 60_000), st.integers(0, 5)),
    st.builds(words, st.integers(1, 60_000), st.integers(0, 5)),
    st.builds(lambda b, n: b * n, st.binary(min_size=1, max_size=3), st.integers(1, 30_000)),
)


@settings(max_examples=120)
@given(contents, contents, st.integers(0, 2**32), st.integers(0, 40))
def test_any_content_comes_back_and_another_reader_agrees(old: bytes, other: bytes, seed: int, edits: int) -> None:
    for new in (edited(old, seed, edits), other or b"x"):
        for dense in (False, True):
            made = maker.make(old, new, level=3, dense=dense)
            assert maker.apply(made, old, len(new)) == new
            assert read_difference(made, old) == new


def test_a_dense_one_is_smaller_and_says_what_it_is() -> None:
    old = words(200_000, 1)
    new = edited(old, 3, 400) + words(300_000, 2)
    plain, dense = (maker.make(old, new, dense=d) for d in (False, True))
    assert len(dense) < len(plain)
    assert [is_dense(made) for made in (plain, dense)] == [False, True]
    # One that claims to be of the first version has no such streams.
    with refuses("difference.damaged"):
        maker.apply(plain[:2] + dense[2:], old, len(new))


@pytest.mark.parametrize("spoil", ["short", "long", "dictionary"])
def test_a_dense_stream_that_lies_is_damaged(spoil: str) -> None:
    new = words(300_000, 2)
    made = bytearray(maker.make(b"", new, dense=True))
    at = made.index(b"\x5b\x2a\x4d\x18")
    if spoil == "dictionary":
        made[at + 8] = 40
    else:
        # The raw size of the stream, three bytes before its stored size: seven bits a byte.
        made[at - 6] ^= 0x7F if spoil == "long" else 1
    with refuses("difference.damaged", "stream"):
        maker.apply(bytes(made), b"", len(new))


def test_a_small_change_is_a_small_difference() -> None:
    old = noise(400_000)
    new = edited(old, 1, 10)
    assert len(maker.make(old, new)) < 6_000
    assert len(maker.make(b"", old)) < len(old) + 100


@pytest.mark.slow
@settings(max_examples=200)
@given(st.binary(min_size=1, max_size=40), st.integers(0, 2**32))
def test_damaged_ones_fail_or_make_something_else(noise_in: bytes, seed: int) -> None:
    luck = random.Random(seed)
    old, new = program(1, 60), program(2, 62)
    made = bytearray(maker.make(old, new, level=1))
    for byte in noise_in:
        made[luck.randrange(len(made))] ^= byte
    for hostile in (bytes(made), bytes(made[: luck.randrange(len(made))]), bytes(made) + noise_in, noise_in):
        try:
            assert len(maker.apply(hostile, old, len(new))) == len(new)
        except Damaged:
            pass


@pytest.mark.parametrize("hostile", [b"", b"fog", b"\xff" * 40])
def test_what_is_no_difference_is_said(hostile: bytes) -> None:
    with refuses("difference.damaged"):
        maker.apply(hostile, b"old", 9)
    with refuses("difference.damaged"):
        maker.apply(maker.make(b"old", b"new and more"), b"old", 9)


def test_without_a_compiled_kernel_it_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    made = maker.make(b"old", b"new")
    monkeypatch.setattr(maker, "_kernel", None)
    assert not maker.available()
    with refuses("difference.kernel"):
        maker.apply(made, b"old", 3)


def program(seed: int, functions: int) -> bytes:
    """An x86-64 ELF program: functions that call one another and read data, and a table of pointers to them."""
    luck = random.Random(99)
    bodies = [luck.randbytes(luck.randrange(30, 300)) for _ in range(200)]
    targets = [[luck.randrange(40) for _ in range(6)] for _ in range(200)]
    extra = random.Random(seed)
    text_at, base = 0x1000, 0x1000
    order = list(range(functions))
    padding = [extra.randrange(0, 48) for _ in order]
    sizes = [len(bodies[i]) + 5 * 6 + 7 * 3 + padding[i] for i in order]
    starts = [base + sum(sizes[:n]) for n in range(functions)]
    data_va = (starts[-1] + sizes[-1] + 0xFFF) & ~0xFFF
    text = bytearray()
    for n in order:
        own = bytearray()
        half = len(bodies[n]) // 6
        for k, target in enumerate(targets[n]):
            own += bodies[n][k * half : (k + 1) * half] if k < 5 else bodies[n][k * half :]
            here = starts[n] + len(own) + 5
            own += b"\xe8" + struct.pack("<i", starts[target % functions] - here)
        for k in range(3):
            here = starts[n] + len(own) + 7
            own += b"\x48\x8d\x05" + struct.pack("<i", data_va + 8 * ((n + k) % functions) - here)
        text += own + b"\x90" * padding[n]
    table = b"".join(struct.pack("<Q", s) for s in starts)
    data_at = text_at + ((len(text) + 0xFFF) & ~0xFFF)
    head = (
        b"\x7fELF\x02\x01\x01" + bytes(9) + struct.pack("<HHIQQQIHHHHHH", 3, 62, 1, base, 64, 0, 0, 64, 56, 2, 64, 0, 0)
    )
    head += struct.pack("<IIQQQQQQ", 1, 5, text_at, base, base, len(text), len(text), 0x1000)
    head += struct.pack("<IIQQQQQQ", 1, 6, data_at, data_va, data_va, len(table), len(table), 0x1000)
    return head.ljust(text_at, b"\0") + bytes(text).ljust(data_at - text_at, b"\0") + table


def test_predicted_addresses_make_differences_of_programs_small(monkeypatch: pytest.MonkeyPatch) -> None:
    old, new = program(1, 200), program(2, 200)
    assert read_image(new)
    made = maker.make(old, new)
    assert maker.apply(made, old, len(new)) == new
    assert read_difference(made, old) == new
    monkeypatch.setattr(maker, "read_image", lambda head: None)
    plain = maker.make(old, new)
    assert maker.apply(plain, old, len(new)) == new
    assert len(made) < 0.85 * len(plain), (len(made), len(plain))


def test_windows_of_a_program_fit_together() -> None:
    old, new = program(1, 200), program(2, 200)
    out = b""
    for start in range(0, len(new), 20_000):
        piece, low = new[start : start + 20_000], max(0, start - 8_000)
        region = old[low : start + 30_000]
        made = maker.make(region, piece, old_head=old, new_head=new, old_start=low, new_start=start)
        out += maker.apply(made, region, len(piece))
    assert out == new


MOST = 1_500_000
"""Bytes of a program: the other reader is slow."""


@pytest.mark.slow
def test_real_programs_of_this_machine(tmp_path: Path) -> None:
    """The kernels themselves: two shared libraries that have little in common, and one with itself."""
    import zstandard

    from rampa.core.content.scan import _cut_kernel  # type: ignore[attr-defined]

    one, two = (Path(m.__file__ or "").read_bytes()[:MOST] for m in (_cut_kernel, zstandard.backend_c))  # type: ignore[attr-defined]
    for old, new in ((one, two), (two, one), (two, two)):
        made = maker.make(old, new)
        assert maker.apply(made, old, len(new)) == new
        assert read_difference(made, old) == new
    assert len(maker.make(two, two)) < 400


@given(st.lists(st.integers(0, 2**62), max_size=50))
def test_numbers_come_back(numbers: list[int]) -> None:
    import numpy as np

    assert read_varints(varints(np.array(numbers, dtype=np.uint64))).tolist() == numbers


def test_old_files_are_found_by_path_content_and_name() -> None:
    def file(path: str, *chunks: bytes) -> FileEntry:
        own = tuple(Chunk(c * 32, 100) for c in chunks)
        return FileEntry(path, 100 * len(own), False, (b"".join(chunks) * 32)[:32], own)

    old = Tree((file("a/fog.bin", b"1"), file("b/owl-1.2.so", b"2"), file("c/wagon.arc", b"3", b"4")))
    new = Tree(
        (file("a/fog.bin", b"5"), file("b/owl-1.3.so", b"6"), file("d/cart.arc", b"7", b"4"), file("e/new", b"8"))
    )
    found = {path: f.path for path, f in counterparts(old, new.files).items()}
    assert found == {"a/fog.bin": "a/fog.bin", "b/owl-1.3.so": "b/owl-1.2.so", "d/cart.arc": "c/wagon.arc"}
