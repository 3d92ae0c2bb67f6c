"""Opening a bundle of any kind: what it is, and what it says of itself: identity, version, levels, permissions, architectures."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from rampa.core.bundle.android_xml import BinaryXml
from rampa.core.bundle.elements import Element
from rampa.core.bundle.property_list import INFO, PropertyList
from rampa.core.bundle.proto_xml import ProtoXml
from rampa.core.bundle.zip_reader import Archive
from rampa.core.errors import Damaged

APK_MANIFEST, AAB_MANIFEST = "AndroidManifest.xml", "base/manifest/AndroidManifest.xml"
MAX_MANIFEST = 16 * 1024 * 1024
ABIS = {"arm64-v8a": "arm64", "armeabi-v7a": "arm32", "armeabi": "arm32-v5", "x86_64": "x86_64", "x86": "x86"}
"""Folder of native libraries -> our name of the architecture."""
LIBRARY = re.compile(r"(?:(?P<module>[^/]+)/)?lib/(?P<abi>[^/]+)/(?P<file>[^/]+\.so)")
KINDS = ("zip", "apk", "aab", "ipa", "jar")


@dataclass(frozen=True)
class Facts:
    """What a bundle says of itself. Levels are as the platform counts them; empty where the bundle says nothing.

    `libraries`: architecture -> names of its native libraries.
    """

    kind: str
    identifier: str = ""
    version_name: str = ""
    version_code: int | None = None
    minimum: str = ""
    target: str = ""
    permissions: tuple[str, ...] = ()
    debuggable: bool = False
    test_only: bool = False
    split: str = ""
    extracts: bool | None = None
    """False: native libraries are used inside the bundle, and must lie there uncompressed and aligned."""
    libraries: dict[str, tuple[str, ...]] = field(default_factory=dict)

    @property
    def architectures(self) -> tuple[str, ...]:
        return tuple(sorted(self.libraries))


def kind_of(archive: Archive) -> str:
    names = archive.by_name
    if AAB_MANIFEST in names:
        return "aab"
    if APK_MANIFEST in names:
        return "apk"
    if any(INFO.fullmatch(n) for n in names):
        return "ipa"
    return "jar" if "META-INF/MANIFEST.MF" in names else "zip"


def read_facts(archive: Archive) -> Facts:
    """Raises `Damaged` when the manifest cannot be read."""
    kind = kind_of(archive)
    if kind in ("apk", "aab"):
        return _android(kind, read_manifest(archive, kind).root, libraries(archive, kind))
    if kind == "ipa":
        return _ios(PropertyList(archive.read(info_name(archive), MAX_MANIFEST)))
    return Facts(kind)


def read_manifest(archive: Archive, kind: str) -> BinaryXml | ProtoXml:
    if kind == "apk":
        return BinaryXml(archive.read(APK_MANIFEST, MAX_MANIFEST))
    return ProtoXml(archive.read(AAB_MANIFEST, MAX_MANIFEST))


def manifest_name(archive: Archive, kind: str) -> str:
    return {"apk": APK_MANIFEST, "aab": AAB_MANIFEST}.get(kind) or info_name(archive)


def info_name(archive: Archive) -> str:
    found = sorted(n for n in archive.by_name if INFO.fullmatch(n))
    if len(found) != 1:
        raise Damaged("bundle.ipa", f"an IPA holds one application, and this one {len(found)}")
    return found[0]


def libraries(archive: Archive, kind: str) -> dict[str, tuple[str, ...]]:
    found: dict[str, list[str]] = {}
    for name in archive.by_name:
        match = LIBRARY.fullmatch(name)
        # A package keeps its libraries at the top, a bundle of modules in each of them: elsewhere the folder is only
        # called so.
        if match and (match["module"] is None) == (kind == "apk"):
            abi = ABIS.get(match["abi"], match["abi"])
            label = match["file"] if match["module"] in (None, "base") else f"{match['module']}/{match['file']}"
            found.setdefault(abi, []).append(label)
    return {abi: tuple(sorted(names)) for abi, names in sorted(found.items())}


def _android(kind: str, root: Element, found: dict[str, tuple[str, ...]]) -> Facts:
    if root.name != "manifest":
        raise Damaged("manifest.root", f"the manifest's root element is {root.name!r}, not manifest")
    sdk = root.first("uses-sdk") or Element("uses-sdk")
    app = root.first("application") or Element("application")
    asked = [e.attributes.get("name") for tag in ("uses-permission", "uses-permission-sdk-23") for e in root.all(tag)]
    extracts = app.attributes.get("extractNativeLibs")
    return Facts(
        kind=kind,
        identifier=str(root.attributes.get(":package", "")),
        version_name=str(root.attributes.get("versionName", "")),
        version_code=_code(root),
        minimum=_level(sdk, "minSdkVersion"),
        # Nothing said is what the lowest level says: the platform takes it so, too.
        target=_level(sdk, "targetSdkVersion") or _level(sdk, "minSdkVersion"),
        permissions=tuple(sorted({str(p) for p in asked if p})),
        debuggable=_true(app.attributes.get("debuggable")),
        test_only=_true(app.attributes.get("testOnly")),
        split=str(root.attributes.get(":split", "")),
        extracts=None if extracts is None else _true(extracts),
        libraries=found,
    )


def _code(root: Element) -> int | None:
    """The long version code: its upper half stands apart (API level 28 and above)."""
    low, high = root.attributes.get("versionCode"), root.attributes.get("versionCodeMajor", 0)
    if not _whole(low):
        return None
    return (int(high) & 0xFFFFFFFF) << 32 | int(low) & 0xFFFFFFFF if _whole(high) else int(low)  # type: ignore[arg-type]


def _whole(value: object) -> bool:
    return (isinstance(value, int) and not isinstance(value, bool)) or (isinstance(value, str) and value.isdecimal())


def _level(sdk: Element, name: str) -> str:
    value = sdk.attributes.get(name, "")
    return str(value)


def _true(value: object) -> bool:
    return value is True or value == "true" or (isinstance(value, int) and value != 0)


def _ios(info: PropertyList) -> Facts:
    code = info.text("CFBundleVersion")
    asked = tuple(sorted(k for k in info.values if k.startswith("NS") and k.endswith("UsageDescription")))
    needs = info.values.get("UIRequiredDeviceCapabilities", [])
    return Facts(
        kind="ipa",
        identifier=info.text("CFBundleIdentifier"),
        version_name=info.text("CFBundleShortVersionString"),
        # 19 digits do not fit 64 bits whatever they are.
        version_code=int(code) if code.isascii() and code.isdecimal() and len(code) < 19 else None,
        minimum=info.text("MinimumOSVersion"),
        target=info.text("DTPlatformVersion"),
        permissions=asked,
        libraries={"arm64": ()} if isinstance(needs, list) and "arm64" in needs else {},
    )
