"""What would make a storefront or a device refuse a package, found on the package itself before it is sent anywhere."""

from __future__ import annotations

from collections.abc import Iterator, Sized
from dataclasses import dataclass

from rampa.core.binaries.elf import whole_elf
from rampa.core.binaries.read_at import of_bytes
from rampa.core.bundle.package import LIBRARY, Facts, libraries, read_facts
from rampa.core.bundle.package_signature import LIBRARY_PAGE, WORD
from rampa.core.bundle.zip_reader import Archive
from rampa.core.bundle.zip_structure import STORE, Entry
from rampa.core.check.findings import Finding, in_order
from rampa.core.errors import RampaError

SHOWN = 5
MAX_LIBRARY = 512 * 1024 * 1024


@dataclass(frozen=True)
class ExpectedPackage:
    """What the bundle should say; empty or None where nothing is expected. `release`: players get it."""

    release: bool = True
    identifier: str = ""
    version_name: str = ""
    version_code: int | None = None
    architectures: tuple[str, ...] = ()


def check_package(archive: Archive, expected: ExpectedPackage = ExpectedPackage()) -> list[Finding]:
    """All findings, blockers first. Raises `Damaged` when the manifest cannot be read."""
    facts = read_facts(archive)
    found = [*_says(facts, expected), *_debug(facts, expected)]
    if facts.kind in ("apk", "aab"):
        found += [*_architectures(archive, facts, expected), *_aligned(archive, facts)]
    return in_order(found)


def _says(facts: Facts, expected: ExpectedPackage) -> Iterator[Finding]:
    hint = "Write it with `rampa bundle stamp`, or see what the export put there."
    pairs = (
        ("identifier", facts.identifier, expected.identifier),
        ("version name", facts.version_name, expected.version_name),
        ("version code", facts.version_code, expected.version_code),
    )
    for what, says, wanted in pairs:
        if wanted not in ("", None) and facts.kind in ("apk", "aab", "ipa") and says != wanted:
            code = f"bundle.{what.replace(' ', '-')}"
            yield Finding(
                "blocker", code, f"the bundle's {what} is {says or 'not set'}, and should be {wanted}", what, hint
            )


def _debug(facts: Facts, expected: ExpectedPackage) -> Iterator[Finding]:
    if facts.debuggable and expected.release:
        hint = "Export without debugging, or take the flag off: `rampa bundle stamp --not-debuggable`."
        yield Finding(
            "blocker", "bundle.debuggable", "a debugger can attach to it: storefronts refuse that", "manifest", hint
        )
    if facts.test_only and expected.release:
        hint = "Export it as a release."
        yield Finding(
            "blocker", "bundle.test-only", "it says that it is for tests only: no device installs it", "manifest", hint
        )


def _architectures(archive: Archive, facts: Facts, expected: ExpectedPackage) -> Iterator[Finding]:
    by_module = _by_module(archive, facts)
    there = {abi for found in by_module.values() for abi in found}
    for abi in expected.architectures:
        # A package without any library runs everywhere; one with some must have them all.
        if there and abi not in there:
            message = f"the profile builds for {abi}, and the bundle has no libraries for it"
            yield Finding("blocker", "bundle.architecture-missing", message, "lib", "See that the export makes them.")
    for found in by_module.values():
        every = {name for names in found.values() for name in names}
        for abi, names in sorted(found.items()):
            missing = sorted(every - names)
            if missing:
                others = sorted(a for a, present in found.items() if missing[0] in present)
                more = f" and {len(missing) - 1} more" if len(missing) > 1 else ""
                yield Finding(
                    "blocker",
                    "bundle.library-missing",
                    f"{abi} lacks {missing[0]}{more}, which {' and '.join(others)} has",
                    f"lib/{abi}",
                    "It would crash there when the library is loaded: export it for all, or leave the architecture out.",
                )


def _by_module(archive: Archive, facts: Facts) -> dict[str, dict[str, set[str]]]:
    found: dict[str, dict[str, set[str]]] = {}
    for abi, names in libraries(archive, facts.kind).items():
        for name in names:
            module, _, file = name.rpartition("/")
            found.setdefault(module, {}).setdefault(abi, set()).add(file)
    return found


def _aligned(archive: Archive, facts: Facts) -> Iterator[Finding]:
    entries = [e for e in archive.entries if LIBRARY.fullmatch(e.name)]
    packed = [e for e in entries if e.method != STORE]
    if facts.kind == "apk" and facts.extracts is False and packed:
        hint = "Sign or stamp it with Rampa from an export that stores them, or let the system extract them."
        yield Finding(
            "blocker", "bundle.library-packed",
            f"{packed[0].name}{_more(packed)} is packed, and the manifest says that libraries are used inside the bundle",
            packed[0].name, hint,
        )  # fmt: skip
    if facts.kind == "apk":
        yield from _places(archive, entries)
    yield from _segments(archive, entries)


def _places(archive: Archive, entries: list[Entry]) -> Iterator[Finding]:
    hint = "`rampa bundle sign` and `stamp` align what they write."
    off = [e for e in entries if e.method == STORE and e.data % LIBRARY_PAGE]
    if off:
        message = f"{off[0].name}{_more(off)} does not begin at a multiple of 16 KiB in the bundle"
        yield Finding("warning", "bundle.unaligned", message, off[0].name, hint)
    words = [
        e
        for e in archive.entries
        if e.method == STORE and e.data % WORD and e.size and not e.name.startswith("META-INF/")
    ]
    if words:
        message = f"{words[0].name}{_more(words)} is stored and does not begin at a multiple of 4 bytes"
        yield Finding("warning", "bundle.unaligned", message, words[0].name, hint)


def _segments(archive: Archive, entries: list[Entry]) -> Iterator[Finding]:
    """Devices with pages of 16 KiB load only libraries whose segments are aligned to that."""
    bad = []
    for entry in entries:
        if entry.size > MAX_LIBRARY:
            continue
        try:
            # Libraries that cannot be read are not ours to judge: the loader will.
            elf = whole_elf(of_bytes(archive.read(entry.name, MAX_LIBRARY)))
        except RampaError:
            continue
        if elf and elf.bits == 64 and 0 < elf.alignment < LIBRARY_PAGE:
            bad.append((entry, elf))
    if bad:
        entry, elf = bad[0]
        message = f"{entry.name}{_more(bad)} is linked for pages of {elf.alignment // 1024} KiB"
        hint = "Devices with pages of 16 KiB cannot load it: link with -Wl,-z,max-page-size=16384."
        yield Finding("warning", "bundle.page-size", message, entry.name, hint)


def _more(items: Sized) -> str:
    return f" (one of {len(items)})" if len(items) > 1 else ""
