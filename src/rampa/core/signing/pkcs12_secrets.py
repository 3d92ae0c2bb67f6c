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

from rampa.core.errors import Invalid

MAX_ROUNDS, MAX_OLD_ROUNDS = 5_000_000, 500_000
"""Of PBKDF2, and of appendix B's derivation, which is slower here: a hostile file must not keep us for minutes."""
OLD = {"pkcs12_sha1_tripledes_3key": (TripleDES, 24)}
PRF: dict[str, Any] = {
    "sha1": hashes.SHA1,
    "sha224": hashes.SHA224,
    "sha256": hashes.SHA256,
    "sha384": hashes.SHA384,
    "sha512": hashes.SHA512,
}


def size_of(digest: str) -> int:
    return hashlib.new(digest).digest_size


def derive(password: str, salt: bytes, rounds: int, purpose: int, length: int, digest: str) -> bytes:
    """Appendix B.2. `purpose` is 1 for a key, 2 for an initial value, 3 for a checksum's key."""
    _must_be_bearable(rounds, MAX_OLD_ROUNDS)
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


def decrypt(algorithm: Any, sealed: bytes, password: str) -> bytes:
    """Content under an algorithm of the file. Raises `Invalid` for one that is not known, else whatever a wrong key brings."""
    kind = algorithm["algorithm"].native
    if kind in OLD:
        cipher, size = OLD[kind]
        salt, rounds = algorithm["parameters"]["salt"].native, algorithm["parameters"]["iterations"].native
        key = derive(password, salt, rounds, 1, size, "sha1")
        return _unpadded(cipher(key), derive(password, salt, rounds, 2, 8, "sha1"), sealed)
    if kind == "pbes2" and algorithm.kdf == "pbkdf2" and algorithm.encryption_cipher == "aes":
        rounds = algorithm.kdf_iterations
        _must_be_bearable(rounds, MAX_ROUNDS)
        kdf = PBKDF2HMAC(PRF[algorithm.kdf_hmac](), algorithm.key_length, algorithm.kdf_salt, rounds)
        return _unpadded(AES(kdf.derive(password.encode())), algorithm.encryption_iv, sealed)
    raise Invalid("key.cipher", f"the file is encrypted by {kind}, which is not known here",
                  hint="Export it again with AES (PBES2).")  # fmt: skip


def _unpadded(cipher: Any, start: bytes, sealed: bytes) -> bytes:
    decryptor = Cipher(cipher, modes.CBC(start)).decryptor()
    plain = decryptor.update(sealed) + decryptor.finalize()
    padder = padding.PKCS7(cipher.block_size).unpadder()
    return padder.update(plain) + padder.finalize()


def _must_be_bearable(rounds: int, most: int) -> None:
    if not 1 <= rounds <= most:
        raise Invalid("key.rounds", f"the file asks for {rounds:,} rounds of its password, which is absurd")
