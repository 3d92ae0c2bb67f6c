"""The root of a title's trust: drafted online, signed offline by the people who hold its keys, published when enough did.

A draft travels on a stick. It carries the root before, so that a holder sees what changes without a network:

    {"kind": "rampa-root-draft-1", "title": identifier, "before": metadata or null, "root": metadata}

A root that follows another is signed by enough holders of both (TUF 1.0, section 5.3.4).
"""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from securesystemslib.signer import Key
from tuf.api.exceptions import RepositoryError, UnsignedMetadataError
from tuf.api.metadata import Metadata, Role, Root
from tuf.api.serialization import DeserializationError, SerializationError

from rampa.core.errors import Damaged, Invalid, Refused
from rampa.core.quantity import counted
from rampa.core.trust.keys import HolderKey, holder_of, public_of, signer_of, tuf_key
from rampa.core.trust.terms import TERMS, TOP, TrustRole

KIND = "rampa-root-draft-1"
LARGEST = 512_000
MOST_HOLDERS = 12


@dataclass(frozen=True)
class RootDraft:
    """`before` and `root` as their bytes would be published; `before` is empty for a title's first."""

    title: str
    before: bytes
    root: bytes


@dataclass(frozen=True)
class RootFacts:
    """What a root says, for people."""

    version: int
    holders: tuple[str, ...]
    threshold: int
    expires_at: dt.datetime
    online: Mapping[TrustRole, bytes]
    """The public half (raw) of each online key."""


@dataclass(frozen=True)
class Quorum:
    """How far the signatures for one root are: `of` is `new` or `before`."""

    of: str
    signed: tuple[str, ...]
    unsigned: tuple[str, ...]
    missing: int


def draft_root(
    title: str,
    before: bytes,
    holders: Sequence[HolderKey],
    threshold: int,
    online: Mapping[TrustRole, bytes],
    now: dt.datetime,
) -> RootDraft:
    """An unsigned root; `online` are the public halves of the service's keys. Without holders, those of the root before, and
    without a threshold (0) its own. Raises `Invalid`."""
    if before:
        holders = holders or holders_of(before)
        threshold = threshold or facts_of(before).threshold
    _must_be_sound(holders, threshold)
    version = read_root(before).signed.version + 1 if before else 1
    people = [tuf_key(h.public, h.holder) for h in holders]
    machines = {role: tuf_key(online[role]) for role in TOP}
    keys = {k.keyid: k for k in (*people, *machines.values())}
    roles = {role.value: Role([key.keyid], 1) for role, key in machines.items()}
    roles[TrustRole.ROOT.value] = Role([k.keyid for k in people], threshold)
    # Whole seconds: the format has no others, and refuses them.
    ends = (now + TERMS[TrustRole.ROOT].life).replace(microsecond=0)
    root = Root(version=version, expires=ends, keys=keys, roles=roles, consistent_snapshot=True)
    return RootDraft(title, before, Metadata(root).to_bytes())


def _must_be_sound(holders: Sequence[HolderKey], threshold: int) -> None:
    if not 1 <= len(holders) <= MOST_HOLDERS:
        raise Invalid("trust.holders", f"a root has 1 to {MOST_HOLDERS} holders, not {len(holders)}", where="holder")
    for what, known in (("key", len({h.public for h in holders})), ("name", len({h.holder for h in holders}))):
        if known < len(holders):
            raise Invalid("trust.holders", f"two holders have one {what}", where="holder")
    if not 1 <= threshold <= len(holders):
        said = f"a threshold of {threshold} cannot be reached by {counted(len(holders), 'holder')}"
        raise Invalid("trust.threshold", said, where="threshold")


def sign_draft(draft: RootDraft, key: Ed25519PrivateKey) -> tuple[RootDraft, str]:
    """With one more signature, and whose it is. Raises `Refused` for a key that neither root lists."""
    root = read_root(draft.root)
    signer = signer_of(key)
    known = {
        k.keyid: k
        for k in (*_holders(root.signed), *(_holders(read_root(draft.before).signed) if draft.before else ()))
    }
    if signer.public_key.keyid not in known:
        raise Refused(
            "trust.not-a-holder",
            "this key is no holder's of the new root, nor of the one before",
            hint="Nothing was signed. Look at who is listed: `rampa trust ceremony look DRAFT`.",
        )
    root.sign(signer, append=True)
    return RootDraft(draft.title, draft.before, root.to_bytes()), holder_of(known[signer.public_key.keyid])


def quorums(draft: RootDraft) -> list[Quorum]:
    """Who signed and who is still wanted, for the new root and for the one before."""
    root = read_root(draft.root)
    found = [_quorum("new", root.signed, root)]
    if draft.before:
        found.append(_quorum("before", read_root(draft.before).signed, root))
    return found


def _quorum(of: str, judge: Root, root: Metadata[Root]) -> Quorum:
    result = judge.get_verification_result(TrustRole.ROOT.value, root.signed_bytes, root.signatures)
    names = [sorted(holder_of(k) for k in keys.values()) for keys in (result.signed, result.unsigned)]
    return Quorum(of, tuple(names[0]), tuple(names[1]), result.missing)


def must_be_signed(draft: RootDraft) -> None:
    """Raises `Refused` while signatures are missing."""
    for each in quorums(draft):
        if each.missing:
            whose = "the new root" if each.of == "new" else "the root before"
            said = f"{counted(each.missing, 'signature')} of {whose} missing"
            raise Refused("trust.unsigned", said, hint=f"Not yet signed: {', '.join(each.unsigned)}.")


def must_follow_root(draft: RootDraft, before: bytes, online: Mapping[TrustRole, bytes], now: dt.datetime) -> None:
    """What the service asks of a draft that it gets: from the root that is there now, with the keys that it has, in time."""
    if draft.before != before:
        hint = "Draft it again from what is there: `rampa trust ceremony draft`."
        raise Refused("trust.other-root", "this draft follows another root than the title has", hint=hint)
    facts, was = facts_of(draft.root), facts_of(before).version if before else 0
    if facts.version != was + 1:
        raise Refused("trust.version", f"root {facts.version} cannot follow root {was}")
    if dict(facts.online) != dict(online):
        hint = "Draft it again: the service's keys are not those of the draft."
        raise Refused("trust.other-keys", "the draft lists online keys that the service does not have", hint=hint)
    if facts.expires_at <= now:
        raise Refused("trust.over", f"the draft is over since {facts.expires_at:%F}", hint="Draft it again.")
    if facts.expires_at > now + TERMS[TrustRole.ROOT].life + dt.timedelta(days=1):
        raise Refused("trust.too-long", f"a root ends within a year, and this one on {facts.expires_at:%F}")
    must_be_signed(draft)


def facts_of(root: bytes) -> RootFacts:
    """Raises `Damaged`."""
    signed = read_root(root).signed
    online = {role: public_of(_only_key(signed, role)) for role in TOP}
    holders = tuple(holder_of(k) for k in _holders(signed))
    threshold = signed.roles[TrustRole.ROOT.value].threshold
    return RootFacts(signed.version, holders, threshold, signed.expires, online)


def holders_of(root: bytes) -> list[HolderKey]:
    return [HolderKey(holder_of(k), public_of(k)) for k in _holders(read_root(root).signed)]


def _holders(root: Root) -> list[Key]:
    return [root.keys[k] for k in root.roles[TrustRole.ROOT.value].keyids]


def _only_key(root: Root, role: TrustRole) -> Key:
    ids = root.roles[role.value].keyids
    if len(ids) != 1 or root.roles[role.value].threshold != 1:
        raise Damaged("trust.root", f"the root's role {role} has not just one key")
    return root.keys[ids[0]]


def changes(draft: RootDraft) -> list[str]:
    """What publishing it changes, a sentence each."""
    after = facts_of(draft.root)
    if not draft.before:
        return [
            f"{draft.title} gets its first root: {after.threshold} of {', '.join(after.holders)} sign for it.",
            f"It holds until {after.expires_at:%F}.",
        ]
    was = facts_of(draft.before)
    keys = {h.holder: h.public for h in holders_of(draft.before)}
    new_keys = {h.holder: h.public for h in holders_of(draft.root)}
    said = [f"{name} is a holder from now on." for name in after.holders if name not in keys]
    said += [f"{name} is no holder any more." for name in was.holders if name not in new_keys]
    said += [f"{name} has a new key." for name in after.holders if name in keys and keys[name] != new_keys[name]]
    if after.threshold != was.threshold:
        said.append(f"{after.threshold} signatures are asked for in place of {was.threshold}.")
    replaced = [role.value for role in TOP if after.online[role] != was.online[role]]
    if replaced:
        said.append(f"The service's keys for {', '.join(replaced)} are replaced.")
    return [*said, f"It holds until {after.expires_at:%F}; the root before held until {was.expires_at:%F}."]


def read_root(data: bytes) -> Metadata[Root]:
    """Raises `Damaged`."""
    if len(data) > LARGEST:
        raise Damaged("trust.root", f"a root has at most {LARGEST:,} bytes")
    try:
        return Metadata[Root].from_bytes(data)
    except (DeserializationError, SerializationError, RepositoryError, RecursionError) as error:
        raise Damaged("trust.root", "the root cannot be read") from error


def write_draft(draft: RootDraft) -> bytes:
    before: Any = json.loads(draft.before) if draft.before else None
    body = {"kind": KIND, "title": draft.title, "before": before, "root": json.loads(draft.root)}
    return json.dumps(body, indent=1, ensure_ascii=False).encode()


def read_draft(data: bytes) -> RootDraft:
    """Raises `Invalid` for what is none, `Damaged` for a root in it that cannot be read."""
    try:
        body = json.loads(data)
        if body["kind"] != KIND or not isinstance(body["title"], str):
            raise ValueError("another kind")
        # Read and written again: whatever way it was indented on its travels, the bytes are the metadata's own.
        before = read_root(json.dumps(body["before"]).encode()).to_bytes() if body["before"] is not None else b""
        draft = RootDraft(body["title"], before, read_root(json.dumps(body["root"]).encode()).to_bytes())
        facts_of(draft.root)
        return draft
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError, UnsignedMetadataError) as error:
        hint = "Make one: `rampa trust ceremony draft`."
        raise Invalid("trust.draft", "this is no draft of a root", hint=hint) from error
