"""Deriving keys from a PKCS#12 password and decrypting with them (RFC 7292, appendix B; PBES2: RFC 8018, section 6.2).

Old files use three-key triple DES, which is read and never written.
"""

from __future__ import annotations

import hashlib
from typing import Any

from cryptography.hazmat.decrepit.ciphers.algorithms import TripleDES
from cryptography.hazmat.primitives import hashes, padding
from cryptography.hazmat.primitives.ciphers import Cipher, modes
from cryptography.hazmat.primitives.ciphers.algorithms import AES
from cryptography.hazmat.primitives.kdf.pbkdf2 import PBKDF2HMAC
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

from rampa.core.errors import Invalid
from rampa.core.signing.effort import Effort

OLD = {"pkcs12_sha1_tripledes_3key": (TripleDES, 24)}
AES_SIZES = {"aes128_cbc": 16, "aes192_cbc": 24, "aes256_cbc": 32}
SCRYPT = "1.3.6.1.4.1.11591.4.11"
"""RFC 7914, section 7.1."""
PRF: dict[str, Any] = {
    "sha1": hashes.SHA1,
    "sha224": hashes.SHA224,
    "sha256": hashes.SHA256,
    "sha384": hashes.SHA384,
    "sha512": hashes.SHA512,
}


def size_of(digest: str) -> int:
    return hashlib.new(digest).digest_size


def derive(password: str, salt: bytes, rounds: int, purpose: int, length: int, digest: str, effort: Effort) -> bytes:
    """Appendix B.2. `purpose` is 1 for a key, 2 for an initial value, 3 for a checksum's key."""
    effort.rounds(rounds, old=True)
    block = hashlib.new(digest).block_size
    secret = password.encode("utf-16-be") + b"\0\0"
    filled = b"".join(
        (part * (-(-block // len(part)) + len(part)))[: block * -(-len(part) // block)]
        for part in (salt, secret)
        if part
    )
    out, state = b"", bytearray(filled)
    while len(out) < length:
        made = hashlib.new(digest, bytes([purpose]) * block + bytes(state)).digest()
        for _ in range(rounds - 1):
            made = hashlib.new(digest, made).digest()
        out += made
        add = int.from_bytes((made * -(-block // len(made)))[:block], "big") + 1
        for at in range(0, len(state), block):
            value = (int.from_bytes(state[at : at + block], "big") + add) % (1 << (8 * block))
            state[at : at + block] = value.to_bytes(block, "big")
    return out[:length]


def decrypt(algorithm: Any, sealed: bytes, password: str, effort: Effort) -> bytes:
    """Content under an algorithm of the file. Raises `Invalid` for one that is not known, else whatever a wrong key brings."""
    kind = algorithm["algorithm"].native
    if kind in OLD:
        cipher, size = OLD[kind]
        salt, rounds = algorithm["parameters"]["salt"].native, algorithm["parameters"]["iterations"].native
        key = derive(password, salt, rounds, 1, size, "sha1", effort)
        return _unpadded(cipher(key), derive(password, salt, rounds, 2, 8, "sha1", effort), sealed)
    if kind == "pbes2":
        derivation, scheme = (algorithm["parameters"][k] for k in ("key_derivation_func", "encryption_scheme"))
        length = AES_SIZES.get(scheme["algorithm"].native, 0)
        kdf = _derivation(derivation, length, effort) if length else None
        if kdf is not None:
            return _unpadded(AES(kdf.derive(password.encode())), scheme["parameters"].native, sealed)
    raise Invalid("key.cipher", f"the file is encrypted by {kind}, which is not known here",
                  hint="Export it again with AES (PBES2).")  # fmt: skip


def _derivation(asked: Any, size: int, effort: Effort) -> PBKDF2HMAC | Scrypt | None:
    """None for one that is not known. `size` is the key's, in bytes."""
    kind, given = asked["algorithm"].native, asked["parameters"].native
    if kind == "pbkdf2":
        effort.rounds(given["iteration_count"])
        return PBKDF2HMAC(PRF[given["prf"]["algorithm"]](), size, given["salt"], given["iteration_count"])
    if kind == SCRYPT:
        # The parser does not know it by name: its fields are numbered.
        salt, cost, block, lanes = (given[str(n)] for n in range(4))
        effort.scrypt(cost, block, lanes)
        return Scrypt(salt, size, cost, block, lanes)
    return None


def _unpadded(cipher: Any, start: bytes, sealed: bytes) -> bytes:
    decryptor = Cipher(cipher, modes.CBC(start)).decryptor()
    plain = decryptor.update(sealed) + decryptor.finalize()
    padder = padding.PKCS7(cipher.block_size).unpadder()
    return padder.update(plain) + padder.finalize()
