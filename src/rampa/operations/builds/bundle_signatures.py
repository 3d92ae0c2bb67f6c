"""Signing the inside of a package for whoever makes it: the maker has the package and its digests, the key stays here."""

from __future__ import annotations

import base64
import binascii
import hashlib

from cryptography import x509
from sqlalchemy import select

from rampa.core.bundle.block_signers import make_v2, make_v3
from rampa.core.bundle.jar_signature import block
from rampa.core.bundle.package_signature import key_of_public
from rampa.core.errors import Invalid, Refused
from rampa.core.signing import succession
from rampa.core.signing.succession import Succession
from rampa.db import SigningIdentityRow, find_build, find_key, must_be_open
from rampa.operations.base import Actor, Services, UnitOfWork, begin
from rampa.operations.builds.builds import must_hold
from rampa.operations.builds.bundles import profile_of, run_of
from rampa.operations.signing.identities import open_identity, used
from rampa.schema.builds import builds as wire

SIGNATURE_FILE = b"Signature-Version: 1.0\r\n"


def sign_parts(services: Services, actor: Actor, slug: str, number: int, asked: wire.ToSignIn) -> wire.SignaturesOut:
    """Signs what is asked with the profile's identity; asked for nothing it says what kind of key signs.

    After a hand-over the oldest identity of the succession signs v1 and v2, which know no succession.
    """
    with begin(services, actor) as uow:
        build = must_be_open(find_build(uow.session, slug, number, lock=True))
        must_hold(uow, build, asked.lease)
        profile = profile_of(uow, build)
        if not profile.settings.signing.identity or not profile.signs_inside:
            raise Refused("signing.none", f"the profile {profile.name} has no signature inside its bundle")
        row = find_key(uow.session, profile.settings.signing.identity, lock=True)
        line = succession.decode(row.succession) if row.succession else ()
        # An app bundle has no scheme that knows a succession: the storefront takes the newest identity's word.
        first = row if profile.settings.output.kind == "aab" else _oldest(uow, row, line)
        made = wire.SignaturesOut(**_about(first, row, profile.settings.signing.rsa_padding))
        if not (asked.jar or asked.v2 or asked.v3):
            return made
        # The identity is opened only for what is to be signed: asking what kind of key it is needs no passphrase.
        run = run_of(uow, build)
        older = open_identity(uow, first, run) if asked.jar or asked.v2 else None
        newer = open_identity(uow, row, run) if asked.v3 else None
        digests: dict[str, bytes] = {name: bytes.fromhex(value) for name, value in asked.digests.items()}
        if asked.jar and older:
            made.jar = _text(block(_signature_file(asked.jar), older))
        if asked.v2 and older:
            made.v2 = _text(make_v2(digests, older, profile.settings.signing.rsa_padding, asked.v3))
        if newer:
            made.v3 = _text(make_v3(digests, newer, profile.settings.signing.rsa_padding, line))
        names = (("v1", asked.jar), ("v2", asked.v2), ("v3", asked.v3))
        detail = {f"content_{name}": value for name, value in asked.digests.items()}
        if asked.jar:
            detail["signature_file_sha256"] = hashlib.sha256(_bytes(asked.jar)).hexdigest()
        detail |= {
            "build": build.name,
            "run": str(build.made.run or ""),
            "scheme": ",".join(n for n, wanted in names if wanted),
        }
        # One use an identity in the audit trail, though it signed several schemes.
        for one in {r.name: r for r, opened in ((first, older), (row, newer)) if opened is not None}.values():
            used(uow, one, slug, **detail)
        return made


def _oldest(uow: UnitOfWork, row: SigningIdentityRow, line: Succession) -> SigningIdentityRow:
    if not line:
        return row
    found = uow.session.scalar(select(SigningIdentityRow).where(SigningIdentityRow.fingerprint == line[0].fingerprint))
    if found is None:
        hint = "Schemes v1 and v2 are signed by the first identity of the succession: import it again."
        raise Refused(
            "succession.first", f"the first identity of {row.name}'s succession is not in the vault", hint=hint
        )
    return found


def _about(first: SigningIdentityRow, last: SigningIdentityRow, padding: str) -> dict[str, object]:
    keys = [
        key_of_public(x509.load_pem_x509_certificate(r.certificate.encode()).public_key(), padding)
        for r in (first, last)
    ]
    contents = sorted({c for key in keys for c in key.contents})
    return {"ec": keys[0].ec, "contents": contents, "identity": last.name, "fingerprint": last.fingerprint}


def _signature_file(text: str) -> bytes:
    """Only a JAR's signature file: a grant or a drill's probe, signed in its place, would be a forgery in our name."""
    data = _bytes(text)
    if not data.startswith(SIGNATURE_FILE):
        raise Invalid("signing.jar", "this is not a JAR's signature file", where="jar")
    return data


def _bytes(text: str) -> bytes:
    try:
        return base64.b64decode(text, validate=True)
    except binascii.Error as error:
        raise Invalid("signing.base64", "the signature file is not valid base64", where="jar") from error


def _text(data: bytes) -> str:
    return base64.b64encode(data).decode()
