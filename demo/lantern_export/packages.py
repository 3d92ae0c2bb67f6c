"""Phone packages as the stand-in engine lays them out: the container's own files in `package/`, content beside it."""

from __future__ import annotations

import argparse

from demo.lantern_export import manifests

CONTAINERS = ("apk", "aab", "ipa")
ABIS = {"arm64": "arm64-v8a", "x86_64": "x86_64"}
DEX = b"dex\n035\0" + b"This is a stand-in of Rampa's demo: no code is in it.\n" * 20
PERMISSIONS = ("INTERNET", "POST_NOTIFICATIONS")
Files = list[tuple[str, bytes, bool]]


def arranged(programs: Files, options: argparse.Namespace, architectures: list[str]) -> Files:
    """The program as the container wants it, and what says what the package is."""
    (_, program, _), *rest = programs
    if options.container == "ipa":
        info = manifests.info_plist(options.identifier, options.minimum or "15.0")
        return [("package/Peatlight", program, True), ("package/Info.plist", info, False), *rest]
    base = "package/base/" if options.container == "aab" else "package/"
    root = manifests.manifest(
        options.identifier, int(options.minimum or 28), 35, options.mode == "development", PERMISSIONS
    )
    files: Files = [(f"{base}lib/{ABIS[a]}/libpeatlight.so", program, True) for a in architectures or ["arm64"]]
    if options.container == "aab":
        files += [
            ("package/base/manifest/AndroidManifest.xml", manifests.proto_xml(root), False),
            ("package/base/dex/classes.dex", DEX, False),
            ("package/BundleConfig.pb", b"\x0a\x00", False),
        ]
    else:
        files += [
            ("package/AndroidManifest.xml", manifests.binary_xml(root), False),
            ("package/classes.dex", DEX, False),
        ]
    return files + rest
