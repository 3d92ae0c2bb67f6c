"""A key module: a device or program that keeps private keys and signs with them, reached by PKCS#11 (OASIS, version 2.40).

The service knows the module's library, the slot's label and a PIN. A wrong PIN is said once and never tried again by this
process: a few wrong ones lock a module for good.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from rampa.core.errors import NotFound, Refused, Unavailable

if TYPE_CHECKING:
    from pkcs11 import Session

HASHES = {"sha256": "SHA256", "sha384": "SHA384", "sha512": "SHA512"}
_ONE = threading.Lock()
"""Libraries say that they take several threads at once, and some do not."""


@dataclass
class KeyModule:
    """`library` is the module's shared library, `slot` the label of the part of it that holds our keys."""

    library: Path
    slot: str
    pin: str = field(repr=False)
    _refused: str = field(default="", repr=False)

    def certificate(self, label: str) -> bytes | None:
        """DER, where the module holds one beside the key."""
        from pkcs11 import Attribute, ObjectClass

        with self._session() as session:
            # Read to its end: a search that stays open outlives the session.
            found = list(session.get_objects({Attribute.CLASS: ObjectClass.CERTIFICATE, Attribute.LABEL: label}))
            return bytes(found[0][Attribute.VALUE]) if found else None

    def must_have(self, label: str) -> HeldKey:
        """Raises `NotFound` for a label that names no private key, or several."""
        with self._session() as session:
            _key(session, label)
        return HeldKey(self, label)

    @contextmanager
    def _session(self) -> Iterator[Session]:
        from pkcs11 import exceptions as theirs
        from pkcs11 import lib

        with _ONE:
            if self._refused:
                raise Refused("key-module.pin", self._refused, hint="Put the right PIN in place, and start again.")
            try:
                with lib(str(self.library)).get_token(token_label=self.slot).open(user_pin=self.pin) as session:
                    yield session
            except (
                theirs.PinIncorrect,
                theirs.PinLocked,
                theirs.PinExpired,
                theirs.PinLenRange,
                theirs.PinInvalid,
            ) as error:
                self._refused = f"the key module refuses the PIN ({type(error).__name__})"
                raise Refused("key-module.pin", self._refused, hint="It is not tried again.") from error
            except (theirs.PKCS11Error, OSError, RuntimeError) as error:
                why = type(error).__name__
                hint = "See that it is connected, and that RAMPA_KEY_MODULE and RAMPA_KEY_MODULE_SLOT name it."
                raise Unavailable("key-module.away", f"the key module does not answer ({why})", hint=hint) from error


@dataclass(frozen=True)
class HeldKey:
    """One key of a module, as `rampa.core.signing.outside_key.Holder`."""

    module: KeyModule
    label: str

    def sign_ecdsa(self, digested: bytes) -> bytes:
        return self._sign(digested, "ECDSA")

    def sign_pkcs1(self, data: bytes, digest: str) -> bytes:
        return self._sign(data, f"{HASHES[digest]}_RSA_PKCS")

    def sign_pss(self, data: bytes, digest: str, salt: int) -> bytes:
        from pkcs11 import MGF, Mechanism

        name = HASHES[digest]
        return self._sign(data, f"{name}_RSA_PKCS_PSS", (Mechanism[name], MGF[name], salt))

    def _sign(self, data: bytes, mechanism: str, parameter: Any = None) -> bytes:
        from pkcs11 import Mechanism

        with self.module._session() as session:
            key = _key(session, self.label)
            return bytes(key.sign(data, mechanism=Mechanism[mechanism], mechanism_param=parameter))


def _key(session: Session, label: str) -> Any:
    from pkcs11 import ObjectClass
    from pkcs11 import exceptions as theirs

    try:
        return session.get_key(object_class=ObjectClass.PRIVATE_KEY, label=label)
    except theirs.NoSuchKey as error:
        raise NotFound("key-module.no-key", f"the key module holds no private key {label!r}", where="label") from error
    except theirs.MultipleObjectsReturned as error:
        message = f"the key module holds several private keys {label!r}"
        raise NotFound("key-module.no-key", message, where="label", hint="Give each a label of its own.") from error
