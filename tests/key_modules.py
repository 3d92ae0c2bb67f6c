"""A key module in software (SoftHSM), for tests: one a process, with a slot for each test, and keys made in it."""

from __future__ import annotations

import datetime as dt
import itertools
import os
import shutil
import subprocess
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pkcs11
from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric.rsa import RSAPublicNumbers
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat, load_der_public_key
from cryptography.x509.oid import NameOID
from pkcs11 import Attribute, KeyType, ObjectClass
from pkcs11.util.ec import encode_ec_public_key, encode_named_curve_parameters

from rampa.core.signing.outside_key import outside_key
from rampa.store.key_module import HeldKey, KeyModule

LIBRARY = Path("/usr/lib/softhsm/libsofthsm2.so")
PIN = "a PIN: 2468"
_slots = itertools.count(1)


def there() -> bool:
    return LIBRARY.exists() and shutil.which("softhsm2-util") is not None


def _home() -> None:
    """The library reads where its slots lie when it is first used in a process, and never again."""
    if "SOFTHSM2_CONF" in os.environ:
        return
    home = Path(tempfile.mkdtemp(prefix="rampa-softhsm-"))
    (home / "slots").mkdir()
    (home / "conf").write_text(
        f"directories.tokendir = {home / 'slots'}\nobjectstore.backend = file\nlog.level = ERROR\n"
    )
    os.environ["SOFTHSM2_CONF"] = str(home / "conf")


@dataclass
class Slot:
    """`make` makes a key pair in it, with a self-signed certificate beside it unless `bare`."""

    module: KeyModule

    def make(self, label: str, kind: str = "ec-p256", bare: bool = False) -> x509.Certificate:
        with self._writing() as session:
            public = _made(session, label, kind)
        certificate = _certificate(load_der_public_key(public), HeldKey(self.module, label))
        if not bare:
            self.keep(label, certificate)
        return certificate

    def keep(self, label: str, certificate: x509.Certificate) -> None:
        with self._writing() as session:
            session.create_object(
                {
                    Attribute.CLASS: ObjectClass.CERTIFICATE,
                    Attribute.CERTIFICATE_TYPE: pkcs11.constants.CertificateType.X_509,
                    Attribute.TOKEN: True,
                    Attribute.LABEL: label,
                    Attribute.SUBJECT: certificate.subject.public_bytes(),
                    Attribute.VALUE: certificate.public_bytes(Encoding.DER),
                }
            )

    def replace_key(self, label: str, kind: str = "ec-p256") -> None:
        """Another key under the same label: the certificate stays."""
        with self._writing() as session:
            for found in (ObjectClass.PRIVATE_KEY, ObjectClass.PUBLIC_KEY):
                session.get_key(object_class=found, label=label).destroy()
            _made(session, label, kind)

    def relabel(self, label: str, other: str) -> None:
        """The module's own administrator gives the key another name."""
        with self._writing() as session:
            session.get_key(object_class=ObjectClass.PRIVATE_KEY, label=label).copy({Attribute.LABEL: other})

    def _writing(self) -> Any:
        return pkcs11.lib(str(LIBRARY)).get_token(token_label=self.module.slot).open(rw=True, user_pin=PIN)


def new_slot(pin: str = PIN) -> Slot:
    """`pin` is what the service is told; the slot's own is PIN."""
    _home()
    label = f"rampa-{next(_slots)}"
    command = ["softhsm2-util", "--init-token", "--free", "--label", label, "--so-pin", "01234567", "--pin", PIN]
    subprocess.run(command, check=True, capture_output=True)
    pkcs11.lib(str(LIBRARY)).reinitialize()
    return Slot(KeyModule(LIBRARY, label, pin))


def _made(session: Any, label: str, kind: str) -> bytes:
    family, _, size = kind.partition("-")
    if family == "rsa":
        public, _ = session.generate_keypair(KeyType.RSA, int(size), store=True, label=label)
        n, e = (int.from_bytes(public[each], "big") for each in (Attribute.MODULUS, Attribute.PUBLIC_EXPONENT))
        return RSAPublicNumbers(e, n).public_key().public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo)
    curve = {"p256": "secp256r1", "p384": "secp384r1"}[size]
    parameters = session.create_domain_parameters(
        KeyType.EC, {Attribute.EC_PARAMS: encode_named_curve_parameters(curve)}, local=True
    )
    public, _ = parameters.generate_keypair(store=True, label=label)
    return encode_ec_public_key(public)


def _certificate(public: Any, holder: HeldKey) -> x509.Certificate:
    """Signed by the key in the module."""
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Quillback Works, key module")])
    now = dt.datetime.now(dt.UTC)
    return (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(public)
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - dt.timedelta(minutes=5))
        .not_valid_after(now + dt.timedelta(days=365 * 30))
        .sign(outside_key(public, holder), hashes.SHA256())
    )
