"""Handing over from one identity to the next (succession), and changing the master key while services run."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import select

from rampa.core.errors import Conflict, NotFound
from rampa.core.signing import succession
from rampa.core.signing.seal import keys_of, rewrap, sealed_by
from rampa.db import (
    ContentKeyRow,
    SecondFactorRow,
    SigningIdentityRow,
    SourceRow,
    StorefrontConsentRow,
    StorefrontRow,
    StudioDocumentRow,
    TitleRow,
    TriggerRow,
    TrustKeyRow,
    UnlockRow,
    UnsealingKeyRow,
    VariablesRow,
    WebhookRow,
    find_key,
)
from rampa.operations.base import Act, Actor, Services, UnitOfWork, audit, begin, must
from rampa.operations.content.frames import key_label
from rampa.operations.signing.content_keys import unsealing_label
from rampa.operations.signing.identities import label_of, open_identity
from rampa.operations.signing.views import describe
from rampa.operations.trust.keys import trust_key_label
from rampa.schema.signing import identities as wire


def hand_over(services: Services, actor: Actor, old: str, asked: wire.HandOverIn) -> wire.Key:
    """`old` signs that `asked.successor` may speak for it. Both must be unlocked. Answers the successor."""
    must(actor, Act.HAND_OVER_KEY)
    with begin(services, actor) as uow:
        if old == asked.successor:
            raise Conflict("succession.again", f"{old} cannot hand over to itself")
        # In one order, whoever hands over to whom: two at the same moment wait for one another.
        rows = {name: find_key(uow.session, name, lock=True) for name in sorted({old, asked.successor})}
        before, after = rows[old], rows[asked.successor]
        if after.succession:
            raise Conflict("succession.there", f"{after.name} succeeds {after.predecessor} already")
        last = open_identity(uow, before)
        line = succession.decode(before.succession) if before.succession else succession.begin(last)
        made = succession.extend(line, last, open_identity(uow, after))
        after.succession, after.predecessor = succession.encode(made), before.name
        audit.record(uow, "key.hand-over", before.name, None, to=after.name, fingerprint=after.fingerprint)
        return describe(uow, after)


def get_succession(services: Services, name: str) -> bytes:
    """The succession as bytes, for signing on files."""
    with begin(services) as uow:
        row = find_key(uow.session, name)
        if row.succession is None:
            raise NotFound(
                "succession.none",
                f"{name} succeeds no other identity",
                hint="rampa key hand-over OLD --to NEW makes one.",
            )
        return row.succession


def change_master_key(services: Services, actor: Actor) -> wire.Rewrapped:
    """Wraps every secret again with the first master key. Can be repeated; a kill in between loses nothing."""
    must(actor, Act.CHANGE_MASTER_KEY)
    masters = keys_of(services.master_key)
    done = left = 0
    with begin(services, actor) as uow:
        for row, field, label in _secrets(uow):
            sealed = getattr(row, field)
            # Done by an earlier try that was cut off.
            if sealed_by(sealed, masters[0], label):
                left += 1
                continue
            setattr(row, field, rewrap(sealed, masters, label, services.random))
            done += 1
        audit.record(uow, "vault.master-key", "vault", None, wrapped=done)
    return wire.Rewrapped(wrapped=done, unchanged=left, keys=len(masters))


def _secrets(uow: UnitOfWork) -> Iterator[tuple[object, str, str]]:
    """Every sealed secret of the service: (row, column, label)."""
    for identity in uow.session.scalars(select(SigningIdentityRow).with_for_update()):
        if not identity.outside:
            yield identity, "sealed", label_of(identity.name)
    for unlock in uow.session.scalars(select(UnlockRow).with_for_update(of=UnlockRow)):
        yield unlock, "sealed", f"unlock:{unlock.id}"
    for title in uow.session.scalars(select(TitleRow).with_for_update()):
        yield title, "manifest_sealed", f"manifest:{title.identifier}"
    for key in uow.session.scalars(select(ContentKeyRow).with_for_update()):
        yield key, "sealed", key_label(key.id)
    for unsealing in uow.session.scalars(select(UnsealingKeyRow).with_for_update()):
        yield unsealing, "sealed", unsealing_label(unsealing.build_id)
    for factor in uow.session.scalars(select(SecondFactorRow).with_for_update()):
        yield factor, "sealed", f"factor:{factor.person_id}"
    for variables in uow.session.scalars(
        select(VariablesRow).where(VariablesRow.sealed.is_not(None)).with_for_update()
    ):
        yield variables, "sealed", f"variables:{variables.name}"
    for source in uow.session.scalars(
        select(SourceRow).where(SourceRow.sealed.is_not(None)).with_for_update(of=SourceRow)
    ):
        yield source, "sealed", f"source:{source.id}"
    for trigger in uow.session.scalars(
        select(TriggerRow).where(TriggerRow.sealed.is_not(None)).with_for_update(of=TriggerRow)
    ):
        yield trigger, "sealed", f"trigger:{trigger.id}"
    yield from _outward(uow)
    yield from _of_storefronts(uow)


def _of_storefronts(uow: UnitOfWork) -> Iterator[tuple[object, str, str]]:
    for account in uow.session.scalars(
        select(StorefrontRow).where(StorefrontRow.sealed.is_not(None)).with_for_update(of=StorefrontRow)
    ):
        yield account, "sealed", account.label
    for consent in uow.session.scalars(select(StorefrontConsentRow).with_for_update(of=StorefrontConsentRow)):
        yield consent, "sealed", consent.label
    for document in uow.session.scalars(select(StudioDocumentRow).with_for_update()):
        yield document, "sealed", document.label


def _outward(uow: UnitOfWork) -> Iterator[tuple[object, str, str]]:
    """What is signed with for others to check."""
    for webhook in uow.session.scalars(select(WebhookRow).with_for_update(of=WebhookRow)):
        yield webhook, "sealed", f"webhook:{webhook.id}"
    for trusted in uow.session.scalars(select(TrustKeyRow).with_for_update()):
        title = uow.session.get_one(TitleRow, trusted.title_id)
        yield trusted, "sealed", trust_key_label(title.identifier, trusted.role)
