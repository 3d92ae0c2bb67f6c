"""The ceremony: holders make keys, a draft goes round, and only what enough of them signed is taken."""

from __future__ import annotations

import datetime as dt
import json
import os
from collections.abc import Sequence

import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from rampa.core.errors import Damaged, Invalid
from rampa.core.trust import keys
from rampa.core.trust.keys import HolderKey
from rampa.core.trust.root import (
    RootDraft,
    changes,
    draft_root,
    facts_of,
    must_be_signed,
    must_follow_root,
    quorums,
    read_draft,
    sign_draft,
    write_draft,
)
from rampa.core.trust.terms import TOP
from tests.refusals import refuses

NOW = dt.datetime(2026, 11, 29, 12, tzinfo=dt.UTC)
PEOPLE = {
    name: Ed25519PrivateKey.from_private_bytes(bytes([i]) * 32)
    for i, name in enumerate(("Vendla", "Aino", "Oskar", "Ines"))
}
ONLINE = {
    role: Ed25519PrivateKey.from_private_bytes(bytes([20 + i]) * 32).public_key().public_bytes_raw()
    for i, role in enumerate(TOP)
}
TITLE = "example.quillback.peatlight"


def holders(*names: str) -> list[HolderKey]:
    return [HolderKey(name, PEOPLE[name].public_key().public_bytes_raw()) for name in names]


def signed(draft: RootDraft, *names: str) -> RootDraft:
    for name in names:
        draft, said = sign_draft(draft, PEOPLE[name])
        assert said == name
    return draft


def first(*names: str, threshold: int = 2) -> RootDraft:
    return draft_root(TITLE, b"", holders(*names), threshold, ONLINE, NOW)


FIRST = signed(first("Vendla", "Aino", "Oskar"), "Vendla", "Oskar")


def test_enough_holders_make_a_root() -> None:
    draft = first("Vendla", "Aino", "Oskar")
    with refuses("trust.unsigned", "2 signatures of the new root missing"):
        must_be_signed(draft)
    draft = signed(draft, "Vendla")
    assert quorums(draft)[0].missing == 1
    draft = signed(draft, "Vendla")
    assert quorums(draft)[0].missing == 1, "one holder counts once"
    must_follow_root(signed(draft, "Oskar"), b"", ONLINE, NOW)
    facts = facts_of(draft.root)
    assert (facts.version, facts.threshold, set(facts.holders)) == (1, 2, {"Vendla", "Aino", "Oskar"})
    assert facts.online == ONLINE


def test_a_root_that_follows_is_signed_by_holders_of_both() -> None:
    draft = draft_root(TITLE, FIRST.root, holders("Vendla", "Aino", "Ines"), 2, ONLINE, NOW)
    assert changes(draft)[:2] == ["Ines is a holder from now on.", "Oskar is no holder any more."]
    only_new = signed(draft, "Ines", "Aino")
    assert [(q.of, q.missing) for q in quorums(only_new)] == [("new", 0), ("before", 1)]
    with refuses("trust.unsigned", "of the root before"):
        must_follow_root(only_new, FIRST.root, ONLINE, NOW)
    # Oskar leaves, and his word counts for the root that he belongs to.
    must_follow_root(signed(only_new, "Oskar"), FIRST.root, ONLINE, NOW)


def test_the_draft_says_what_it_changes() -> None:
    other = {**ONLINE, TOP[2]: ONLINE[TOP[0]]}
    again = Ed25519PrivateKey.generate().public_key().public_bytes_raw()
    draft = draft_root(TITLE, FIRST.root, [*holders("Vendla", "Aino"), HolderKey("Oskar", again)], 3, other, NOW)
    assert changes(draft)[:3] == [
        "Oskar has a new key.",
        "3 signatures are asked for in place of 2.",
        "The service's keys for timestamp are replaced.",
    ]
    assert "2 of Vendla, Aino" in changes(first("Vendla", "Aino"))[0]


@pytest.mark.parametrize(
    ("names", "threshold", "code", "said"),
    [
        ((), 1, "trust.holders", "1 to 12 holders"),
        (("Vendla", "Vendla"), 1, "trust.holders", "have one key"),
        (("Vendla",), 2, "trust.threshold", "cannot be reached by 1 holder"),
        (("Vendla",), 0, "trust.threshold", "cannot be reached"),
    ],
)
def test_what_cannot_work_is_not_drafted(names: Sequence[str], threshold: int, code: str, said: str) -> None:
    with refuses(code, said):
        first(*names, threshold=threshold)


@pytest.mark.parametrize("name", ["", "  ", "x" * 61, "Ven\ndla"])
def test_a_holder_has_a_name_that_can_be_read_aloud(name: str) -> None:
    with refuses("trust.holder"):
        HolderKey(name, bytes(32))


def test_strangers_do_not_sign() -> None:
    with refuses("trust.not-a-holder"):
        sign_draft(first("Vendla", "Aino"), PEOPLE["Ines"])


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ("before", "trust.other-root"),
        ("online", "trust.other-keys"),
        ("over", "trust.over"),
        ("long", "trust.too-long"),
        ("threshold", "trust.unsigned"),
        ("version", "trust.version"),
        ("broken", "trust.root"),
    ],
)
def test_the_service_takes_no_other_root(change: str, code: str) -> None:
    draft, before, online, now = FIRST, b"", dict(ONLINE), NOW
    if change == "before":
        before = FIRST.root
    elif change == "online":
        online[TOP[0]] = bytes(32)
    elif change == "over":
        now = NOW + dt.timedelta(days=366)
    elif change == "long":
        now = NOW - dt.timedelta(days=3)
    elif change == "threshold":
        # The words of the draft are changed after they were signed.
        draft = RootDraft(TITLE, b"", FIRST.root.replace(b'"threshold":2', b'"threshold":1'))
    elif change == "version":
        draft = RootDraft(TITLE, b"", draft_root(TITLE, FIRST.root, holders("Vendla"), 1, ONLINE, NOW).root)
    else:
        draft = RootDraft(TITLE, b"", FIRST.root[:-5])
    with refuses(code):
        must_follow_root(draft, before, online, now)


def test_a_draft_survives_its_travels() -> None:
    draft = draft_root(TITLE, FIRST.root, holders("Vendla", "Aino"), 1, ONLINE, NOW)
    indented = json.dumps(json.loads(write_draft(draft)), indent=4).encode()
    assert read_draft(indented) == draft
    must_follow_root(signed(read_draft(indented), "Vendla", "Aino"), FIRST.root, ONLINE, NOW)


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"[]",
        b"{}",
        b'{"kind":"rampa-root-draft-1"}',
        b"[" * 9000,
        b'{"kind":"rampa-root-draft-1","title":"t","before":null,"root":{}}',
    ],
)
def test_what_is_no_draft_is_said_so(data: bytes) -> None:
    with pytest.raises((Invalid, Damaged)):
        read_draft(data)


def test_a_holder_s_key_is_locked_and_its_public_half_is_not() -> None:
    file = keys.make_holder_key("Vendla", "a long passphrase", os.urandom)
    public = keys.public_part(file)
    assert b"locked" not in public
    assert keys.read_holder_key(public) == keys.read_holder_key(file)
    key = keys.unlock_holder_key(file, "a long passphrase")
    assert key.public_key().public_bytes_raw() == keys.read_holder_key(file).public
    with refuses("trust.passphrase", "does not unlock Vendla's key"):
        keys.unlock_holder_key(file, "another passphrase")
    with refuses("trust.key", "only the public half"):
        keys.unlock_holder_key(public, "a long passphrase")
    with refuses("trust.key", "no holder's key file"):
        keys.read_holder_key(b"{}")
