"""Phone packages for tests, laid out by the demo's stand-in engine, whose writers know nothing of Rampa's readers."""

from __future__ import annotations

import datetime as dt
import io
import zipfile
from functools import lru_cache
from pathlib import Path

from demo.lantern_export import manifests
from demo.lantern_export.programs import stand_in

from rampa.core.signing import identity
from tests.samples import noise, words

NOW = dt.datetime(2026, 11, 23, 12, tzinfo=dt.UTC)
IDENTIFIER = "example.quillback.peatlight"
LIBRARY = stand_in("elf", ["arm64"])


@lru_cache
def make_identity(name: str = "quillback-2026", kind: str = "ec-p256") -> identity.Identity:
    return identity.make(name, "Quillback Works", kind, NOW)


def root(minimum: int = 28, debuggable: bool = False) -> manifests.Node:
    return manifests.manifest(IDENTIFIER, minimum, 35, debuggable, ("INTERNET", "POST_NOTIFICATIONS"))


def apk_files(minimum: int = 28, debuggable: bool = False, utf8: bool = True) -> dict[str, bytes]:
    return {
        "AndroidManifest.xml": manifests.binary_xml(root(minimum, debuggable), utf8),
        "classes.dex": b"dex\n035\0" + words(9_000),
        "lib/arm64-v8a/libpeatlight.so": LIBRARY,
        "lib/x86_64/libpeatlight.so": stand_in("elf", ["x86_64"]),
        "assets/maps/kiln-yard.heights": noise(70_000),
        "resources.arsc": b"\x02\x00\x0c\x00" + bytes(60),
    }


def aab_files() -> dict[str, bytes]:
    return {
        "base/manifest/AndroidManifest.xml": manifests.proto_xml(root()),
        "base/dex/classes.dex": b"dex\n035\0" + words(5_000),
        "base/lib/arm64-v8a/libpeatlight.so": LIBRARY,
        "BundleConfig.pb": b"\x0a\x00",
    }


def ipa_files() -> dict[str, bytes]:
    inside = "Payload/Peatlight.app/"
    return {inside + "Info.plist": manifests.info_plist(IDENTIFIER, "15.0"), inside + "Peatlight": noise(4_000)}


def plain_zip(files: dict[str, bytes], stored: bool = False) -> bytes:
    """As the standard library writes it: neither sorted nor aligned."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED if stored else zipfile.ZIP_DEFLATED) as bundle:
        for name, data in files.items():
            bundle.writestr(name, data)
    return out.getvalue()


def lay_out(folder: Path, files: dict[str, bytes]) -> Path:
    for name, data in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    return folder


def write_zip_file(path: Path, files: dict[str, bytes], stored: bool = False) -> Path:
    path.write_bytes(plain_zip(files, stored))
    return path
