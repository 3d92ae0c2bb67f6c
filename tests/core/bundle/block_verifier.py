"""A second verifier of signing blocks v2 and v3, written from the scheme's description alone: `openssl` does the mathematics.

It shares nothing with the product: its own parsing, its own digests, the command line of OpenSSL for every signature.
"""

from __future__ import annotations

import hashlib
import subprocess
from pathlib import Path

HASH = {0x0101: "sha256", 0x0102: "sha512", 0x0103: "sha256", 0x0104: "sha512", 0x0201: "sha256", 0x0202: "sha512"}
IDS = {"v2": 0x7109871A, "v3": 0xF05368C0}


class Broken(Exception):
    """What does not hold."""


def u32(data: bytes, at: int) -> int:
    return int.from_bytes(data[at : at + 4], "little")


def u64(data: bytes, at: int) -> int:
    return int.from_bytes(data[at : at + 8], "little")


def cut(data: bytes) -> list[bytes]:
    """Items with 32-bit lengths before them."""
    out = []
    while data:
        size = u32(data, 0)
        out.append(data[4 : 4 + size])
        data = data[4 + size :]
    return out


def verify(apk: bytes, scheme: str, scratch: Path) -> str:
    """SHA-256 of the signer's certificate. Raises `Broken`."""
    end = apk.rindex(b"PK\x05\x06")
    directory = u32(apk, end + 16)
    if apk[directory - 16 : directory] != b"APK Sig Block 42":
        raise Broken("no block")
    start = directory - u64(apk, directory - 24) - 8
    pairs, at = {}, start + 8
    while at < directory - 24:
        size = u64(apk, at)
        pairs[u32(apk, at + 8)] = apk[at + 12 : at + 8 + size]
        at += 8 + size
    if IDS[scheme] not in pairs:
        raise Broken("scheme is absent")
    (signer,) = cut(cut(pairs[IDS[scheme]])[0])
    size = u32(signer, 0)
    signed, rest = signer[4 : 4 + size], signer[4 + size :]
    rest = rest[8:] if scheme == "v3" else rest
    size = u32(rest, 0)
    signatures, public = cut(rest[4 : 4 + size]), cut(rest[4 + size :])[0]
    for one in signatures:
        _openssl(u32(one, 0), public, one[8:], signed, scratch)
    digests, certificates = (cut(part) for part in cut(signed)[:2])
    for one in digests:
        if _digest(apk, start, directory, end, HASH[u32(one, 0)]) != one[8:]:
            raise Broken("content digest")
    return hashlib.sha256(certificates[0]).hexdigest()


def _digest(apk: bytes, start: int, directory: int, end: int, name: str) -> bytes:
    last = bytearray(apk[end:])
    last[16:20] = start.to_bytes(4, "little")
    found = []
    for section in (apk[:start], apk[directory:end], bytes(last)):
        for at in range(0, len(section), 1 << 20):
            piece = section[at : at + (1 << 20)]
            found.append(hashlib.new(name, b"\xa5" + len(piece).to_bytes(4, "little") + piece).digest())
    return hashlib.new(name, b"\x5a" + len(found).to_bytes(4, "little") + b"".join(found)).digest()


def _openssl(algorithm: int, public: bytes, signature: bytes, signed: bytes, scratch: Path) -> None:
    for name, data in (("public", public), ("signature", signature), ("signed", signed)):
        (scratch / name).write_bytes(data)
    words = [
        "openssl",
        "dgst",
        f"-{HASH[algorithm]}",
        "-verify",
        "public",
        "-keyform",
        "DER",
        "-signature",
        "signature",
    ]
    if algorithm in (0x0101, 0x0102):
        words += ["-sigopt", "rsa_padding_mode:pss", "-sigopt", "rsa_pss_saltlen:digest"]
    if subprocess.run([*words, "signed"], cwd=scratch, capture_output=True).returncode != 0:
        raise Broken("signature")
