"""Handing over from one identity to the next (lineage), and changing the master key while services run."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import select
from sqlalchemy.orm import Session

from rampa.core.errors import Conflict, Denied, NotFound
from rampa.core.signing import lineage
from rampa.core.signing.sealing import rewrap, sealed_by
from rampa.db.content import ContentKey, ReleaseKey
from rampa.db.sources import Environment, Source, Trigger
from rampa.db.titles import SigningIdentity, Title
from rampa.db.vault import Unlock
from rampa.operations import audit
from rampa.operations.context import Actor, Services
from rampa.operations.reading import key_label
from rampa.operations.vault.content_keys import release_label
from rampa.operations.vault.describing import describe
from rampa.operations.vault.finding import find_key
from rampa.operations.vault.identities import label_of, open_identity
from rampa.schema import keys as wire
from rampa.schema.common import Role


def hand_over(services: Services, actor: Actor, old: str, asked: wire.HandOverIn) -> wire.Key:
    """`old` signs that `asked.successor` may speak for it. Both must be unlocked. Answers the successor."""
    if actor.role != Role.OWNER:
        raise Denied("role.denied", f"a {actor.role} may not hand over a signing identity", hint="Ask the owner.")
    with services.db.transaction() as session:
        if old == asked.successor:
            raise Conflict("lineage.again", f"{old} cannot hand over to itself")
        # In one order, whoever hands over to whom: two at the same moment wait for one another.
        rows = {name: find_key(session, name, lock=True) for name in sorted({old, asked.successor})}
        before, after = rows[old], rows[asked.successor]
        if after.lineage:
            raise Conflict("lineage.there", f"{after.name} succeeds {after.predecessor} already")
        last = open_identity(services, session, before)
        line = lineage.decode(before.lineage) if before.lineage else lineage.begin(last)
        made = lineage.extend(line, last, open_identity(services, session, after))
        after.lineage, after.predecessor = lineage.encode(made), before.name
        audit.record(
            session, services, actor, "key.hand-over", before.name, None, to=after.name, fingerprint=after.fingerprint
        )
        return describe(session, services, after)


def get_lineage(services: Services, name: str) -> bytes:
    """The lineage as bytes, for signing on files."""
    with services.db.transaction() as session:
        row = find_key(session, name)
        if row.lineage is None:
            raise NotFound(
                "lineage.none", f"{name} succeeds no other identity", hint="rampa key rotate OLD --to NEW makes one."
            )
        return row.lineage


def change_master_key(services: Services, actor: Actor) -> wire.Rewrapped:
    """Wraps every secret anew with the first master key. Can be repeated; a kill in between loses nothing."""
    if actor.role != Role.OWNER:
        raise Denied("role.denied", f"a {actor.role} may not change the master key", hint="Ask the owner.")
    masters = services.master_key if isinstance(services.master_key, tuple) else (services.master_key,)
    done = left = 0
    with services.db.transaction() as session:
        for row, field, label in _secrets(session):
            sealed = getattr(row, field)
            if sealed_by(sealed, masters[0], label):
                left += 1
                continue
            setattr(row, field, rewrap(sealed, masters, label))
            done += 1
        audit.record(session, services, actor, "vault.master-key", "vault", None, wrapped=done)
    return wire.Rewrapped(wrapped=done, unchanged=left, keys=len(masters))


def _secrets(session: Session) -> Iterator[tuple[object, str, str]]:
    """Every sealed secret of the service: (row, column, label)."""
    for identity in session.scalars(select(SigningIdentity).with_for_update()):
        yield identity, "sealed", label_of(identity.name)
    for unlock in session.scalars(select(Unlock).with_for_update(of=Unlock)):
        yield unlock, "sealed", f"unlock:{unlock.id}"
    for title in session.scalars(select(Title).with_for_update()):
        yield title, "manifest_sealed", f"manifest:{title.identifier}"
    for key in session.scalars(select(ContentKey).with_for_update()):
        yield key, "sealed", key_label(key.id)
    for release in session.scalars(select(ReleaseKey).with_for_update()):
        yield release, "sealed", release_label(release.build_id)
    for environment in session.scalars(select(Environment).where(Environment.sealed.is_not(None)).with_for_update()):
        yield environment, "sealed", f"environment:{environment.name}"
    for source in session.scalars(select(Source).where(Source.sealed.is_not(None)).with_for_update(of=Source)):
        yield source, "sealed", f"source:{source.id}"
    for trigger in session.scalars(select(Trigger).where(Trigger.sealed.is_not(None)).with_for_update(of=Trigger)):
        yield trigger, "sealed", f"trigger:{trigger.id}"
