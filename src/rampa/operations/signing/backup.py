"""Backup: an export under a password, and the drill that proves that it can be restored.

The drill: whoever has the export opens it far from the service, signs a probe that the service made, and sends the signature. The
service verifies it by the certificate. Until that happened the identity is not backed up, and says so everywhere.
"""

from __future__ import annotations

import base64
import datetime as dt
import hmac

from rampa.core.errors import Damaged, Refused
from rampa.core.signing import cms
from rampa.core.signing.identity import to_pkcs12
from rampa.core.signing.seal import keys_of
from rampa.db import find_key
from rampa.operations.base import Act, Actor, Services, audit, begin, must
from rampa.operations.signing.identities import open_identity
from rampa.operations.signing.views import describe
from rampa.schema.signing import identities as wire

PROBE = b"rampa restore drill\n"
LASTS = dt.timedelta(hours=1)


def export_key(services: Services, actor: Actor, name: str, asked: wire.ExportIn) -> wire.Export:
    """The identity as PKCS#12 under the asker's password. Owners only: it is the title's future."""
    must(actor, Act.EXPORT_KEY)
    with begin(services, actor) as uow:
        row = find_key(uow.session, name, lock=True)
        if row.outside:
            hint = "Back the module up by its own means."
            raise Refused("key.outside", f"{name} is in the key module, and does not leave it", hint=hint)
        identity = open_identity(uow, row)
        data = to_pkcs12(identity, name, asked.password)
        row.exported_at = services.now()
        audit.record(uow, "key.export", name, fingerprint=row.fingerprint)
        return wire.Export(name=name, pkcs12=base64.b64encode(data).decode(), fingerprint=row.fingerprint)


def probe(services: Services, name: str) -> wire.Probe:
    """What the drill signs: of this hour, of this identity, and of no other meaning."""
    with begin(services) as uow:
        find_key(uow.session, name)
    return wire.Probe(probe=base64.b64encode(_probe(services, name, services.now())).decode())


def _probe(services: Services, name: str, now: dt.datetime) -> bytes:
    master = keys_of(services.master_key)[0]
    hour = f"{name} {now:%Y-%m-%dT%H}"
    return PROBE + hour.encode() + b"\n" + hmac.digest(master, PROBE + hour.encode(), "sha256").hex().encode()


def pass_drill(services: Services, actor: Actor, name: str, asked: wire.DrillIn) -> wire.Key:
    """Raises `Damaged` when the signature does not hold, or was made with another identity or an old probe."""
    with begin(services, actor) as uow:
        row = find_key(uow.session, name, lock=True)
        now = services.now()
        signature = base64.b64decode(asked.signature)
        signer = _signer(services, name, signature, now)
        if signer != row.fingerprint:
            hint = f"The file holds the certificate {signer[:16]}…, and {name} has {row.fingerprint[:16]}…."
            raise Damaged("drill.other", f"the export is of another signing identity than {name}", hint=hint)
        row.backed_at, row.backed_by = now, actor.name
        row.exported_at = row.exported_at or now
        audit.record(uow, "key.drill", name, fingerprint=row.fingerprint)
        return describe(uow, row)


def _signer(services: Services, name: str, signature: bytes, now: dt.datetime) -> str:
    # The hour may have ended between taking the probe and signing it.
    for moment in (now, now - LASTS):
        try:
            return cms.verify_content(signature, _probe(services, name, moment)).fingerprint
        except Damaged as error:
            last = error
    raise last
