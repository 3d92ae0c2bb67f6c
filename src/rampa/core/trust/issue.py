"""What the service signs by itself: the versions of targets, channels, snapshot and timestamp that follow those before.

Only what changed, or is to be renewed, gets a new version; a version is never given twice (TUF 1.0, sections 4.4 to 4.6).
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TypeVar

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from tuf.api.metadata import (
    DelegatedRole,
    Delegations,
    Metadata,
    MetaFile,
    Snapshot,
    TargetFile,
    Targets,
    Timestamp,
)

from rampa.core.trust.keys import signer_of
from rampa.core.trust.terms import TrustRole, term_of

Part = TypeVar("Part", Targets, Snapshot, Timestamp)
Keys = Mapping[TrustRole, Ed25519PrivateKey]


@dataclass(frozen=True)
class Issued:
    """One role's metadata as it is published."""

    version: int
    expires_at: dt.datetime
    data: bytes

    def due(self, role: str, now: dt.datetime) -> bool:
        return self.expires_at - now <= term_of(role).renew


def issue(
    before: Mapping[str, Issued], channels: Mapping[str, Mapping[str, bytes]], keys: Keys, now: dt.datetime
) -> dict[str, Issued]:
    """The metadata of all roles from now on; those that stay are as they were in `before`.

    `channels`: role -> path of a target -> its content.
    """
    made: dict[str, Issued] = {}
    for role, targets in channels.items():
        made[role] = _channel(role, targets, before.get(role), keys, now)
    made[TrustRole.TARGETS] = _targets(sorted(channels), before.get(TrustRole.TARGETS), keys, now)
    # A role that is gone stays listed: devices refuse a snapshot that forgets one (section 5.5.5).
    kept = {**before, **made}
    listed = {role: i for role, i in kept.items() if role not in (TrustRole.SNAPSHOT, TrustRole.TIMESTAMP)}
    made[TrustRole.SNAPSHOT] = _snapshot(listed, before.get(TrustRole.SNAPSHOT), keys, now)
    made[TrustRole.TIMESTAMP] = _timestamp(made[TrustRole.SNAPSHOT], before.get(TrustRole.TIMESTAMP), keys, now)
    return {**kept, **made}


def _channel(role: str, targets: Mapping[str, bytes], last: Issued | None, keys: Keys, now: dt.datetime) -> Issued:
    files = {path: TargetFile.from_data(path, data, ["sha256"]) for path, data in targets.items()}
    was = Metadata[Targets].from_bytes(last.data).signed.targets if last else None
    if last and was == files and not last.due(role, now):
        return last
    return _signed(role, Targets(_next(last), expires=_end(role, now), targets=files), keys[TrustRole.CHANNELS])


def _targets(channels: list[str], last: Issued | None, keys: Keys, now: dt.datetime) -> Issued:
    key = signer_of(keys[TrustRole.CHANNELS]).public_key
    roles = {role: DelegatedRole(role, [key.keyid], 1, terminating=True, paths=[f"{role}/*"]) for role in channels}
    delegations = Delegations({key.keyid: key}, roles)
    was = Metadata[Targets].from_bytes(last.data).signed.delegations if last else None
    if last and was == delegations and not last.due(TrustRole.TARGETS, now):
        return last
    targets = Targets(_next(last), expires=_end(TrustRole.TARGETS, now), delegations=delegations)
    return _signed(TrustRole.TARGETS, targets, keys[TrustRole.TARGETS])


def _snapshot(listed: Mapping[str, Issued], last: Issued | None, keys: Keys, now: dt.datetime) -> Issued:
    # With digests: all channels have one key, and one channel's metadata must not pass for another's.
    meta = {f"{r}.json": MetaFile.from_data(i.version, i.data, ["sha256"]) for r, i in sorted(listed.items())}
    was = Metadata[Snapshot].from_bytes(last.data).signed.meta if last else None
    if last and was == meta and not last.due(TrustRole.SNAPSHOT, now):
        return last
    snapshot = Snapshot(_next(last), expires=_end(TrustRole.SNAPSHOT, now), meta=meta)
    return _signed(TrustRole.SNAPSHOT, snapshot, keys[TrustRole.SNAPSHOT])


def _timestamp(snapshot: Issued, last: Issued | None, keys: Keys, now: dt.datetime) -> Issued:
    meta = MetaFile.from_data(snapshot.version, snapshot.data, ["sha256"])
    was = Metadata[Timestamp].from_bytes(last.data).signed.snapshot_meta if last else None
    if last and was == meta and not last.due(TrustRole.TIMESTAMP, now):
        return last
    timestamp = Timestamp(_next(last), expires=_end(TrustRole.TIMESTAMP, now), snapshot_meta=meta)
    return _signed(TrustRole.TIMESTAMP, timestamp, keys[TrustRole.TIMESTAMP])


def _signed(role: str, body: Part, key: Ed25519PrivateKey) -> Issued:
    metadata = Metadata(body)
    metadata.sign(signer_of(key))
    return Issued(body.version, body.expires, metadata.to_bytes())


def _next(last: Issued | None) -> int:
    return last.version + 1 if last else 1


def _end(role: str, now: dt.datetime) -> dt.datetime:
    # Whole seconds: the format has no others.
    return (now + term_of(role).life).replace(microsecond=0)
