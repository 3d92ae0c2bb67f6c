"""What the service signs by itself: versions that only rise, nothing signed again without need, nothing left to run out."""

from __future__ import annotations

import datetime as dt

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from hypothesis import given
from hypothesis import strategies as st
from tuf.api.metadata import Metadata, Snapshot

from rampa.core.trust.issue import Issued, issue
from rampa.core.trust.terms import ONLINE, TERMS, TrustRole, channel_role, term_of

KEYS = {role: Ed25519PrivateKey.from_private_bytes(bytes([i]) * 32) for i, role in enumerate(ONLINE)}
NOW = dt.datetime(2026, 11, 29, 12, tzinfo=dt.UTC)
A, B = channel_role("a" * 32), channel_role("b" * 32)


def test_nothing_is_signed_again_without_need() -> None:
    first = issue({}, {A: {f"{A}/linux": b"one"}}, KEYS, NOW)
    assert {role: i.version for role, i in first.items()} == {A: 1, "targets": 1, "snapshot": 1, "timestamp": 1}
    assert issue(first, {A: {f"{A}/linux": b"one"}}, KEYS, NOW + dt.timedelta(minutes=5)) == first


def test_a_change_on_one_channel_touches_no_other() -> None:
    first = issue({}, {A: {f"{A}/linux": b"one"}, B: {}}, KEYS, NOW)
    then = issue(first, {A: {f"{A}/linux": b"two"}, B: {}}, KEYS, NOW)
    assert {role: i.version for role, i in then.items()} == {A: 2, B: 1, "targets": 1, "snapshot": 2, "timestamp": 2}


def test_a_channel_that_is_gone_stays_in_the_snapshot() -> None:
    first = issue({}, {A: {}, B: {}}, KEYS, NOW)
    then = issue(first, {A: {}}, KEYS, NOW)
    listed = Metadata[Snapshot].from_bytes(then["snapshot"].data).signed.meta
    assert set(listed) == {"targets.json", f"{A}.json", f"{B}.json"}
    assert then["targets"].version == 2


def test_each_role_is_renewed_long_before_people_would_be_told() -> None:
    assert all(term.renew >= term.alarm for term in TERMS.values())
    state = issue({}, {A: {}}, KEYS, NOW)
    for hours in range(0, 24 * 40, 5):
        now = NOW + dt.timedelta(hours=hours)
        state = issue(state, {A: {}}, KEYS, now)
        assert all(i.expires_at - now > term_of(role).alarm for role, i in state.items())


@given(
    st.lists(
        st.tuples(st.dictionaries(st.sampled_from([A, B]), st.binary(max_size=2)), st.integers(0, 200)), max_size=12
    )
)
def test_versions_rise_by_one_where_the_content_changed_and_never_else(
    steps: list[tuple[dict[str, bytes], int]],
) -> None:
    state: dict[str, Issued] = {}
    now = NOW
    for lines, hours in steps:
        now += dt.timedelta(hours=hours)
        before, state = state, issue(state, {r: {f"{r}/linux": d} for r, d in lines.items()}, KEYS, now)
        for role, issued in state.items():
            last = before.get(role)
            assert issued.version == (last.version + (issued.data != last.data) if last else 1)
        assert state[TrustRole.TIMESTAMP].expires_at > now
