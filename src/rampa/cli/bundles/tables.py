"""How bundles are shown in a terminal."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager

from rich.text import Text

from rampa.cli.base.output import err, facts, findings, mb, out, table
from rampa.cli.base.progress import Bars
from rampa.core.bundle.report import Part, PlatformLevel
from rampa.core.bundle.verdicts import ABSENT, BROKEN, HOLDS
from rampa.core.quantity import counted
from rampa.schema.bundles import bundles as wire

STATES = {HOLDS: ("✓ holds", "green"), BROKEN: ("■ broken", "bold red"), ABSENT: ("– absent", "dim")}
WORDS = {"verify": "Verifying", "sign": "Signing", "copy": "Copying"}
LEFTOVERS = 12
LARGE = 20 * 10**6
"""Bytes from which on progress is shown."""


@contextmanager
def bars(phase: str, total: int, quiet: bool) -> Iterator[Callable[[int], None]]:
    """Progress of one phase over `total` bytes."""
    done = 0
    with Bars(WORDS, quiet=quiet or total < LARGE) as drawn:

        def progress(size: int) -> None:
            nonlocal done
            done = min(done + size, total)
            drawn.show(phase, done, total)

        yield progress


def _says(f: wire.BundleFacts) -> list[tuple[str, object]]:
    rows: list[tuple[str, object]] = [("kind", f.kind)]
    if f.identifier:
        rows.append(("identifier", f.identifier))
    if f.version_name or f.version_code is not None:
        code = "no version code" if f.version_code is None else f"code {f.version_code}"
        rows.append(("version", f"{f.version_name or 'no version name'}, {code}"))
    if f.minimum:
        rows.append(("levels", f"{f.minimum} or above" + (f", tried on {f.target}" if f.target else "")))
    if f.kind in ("apk", "aab", "ipa"):
        rows.append(("architectures", ", ".join(f.architectures) or "none of its own: any"))
        rows.append(("debuggable", "yes" if f.debuggable else "no"))
    return rows


def inspected(seen: wire.BundleInspected) -> None:
    signed = ", ".join(seen.signed_by) or "no"
    sizes = f"{mb(seen.bytes)}: {counted(seen.files, 'file')} of {mb(seen.size)} packed to {mb(seen.stored)}"
    rows = [*_says(seen.facts), ("signed inside", signed), ("size", f"{sizes}, {mb(seen.overhead)} around them")]
    if seen.facts.permissions:
        rows.append(("permissions", ", ".join(p.rpartition(".")[2] for p in seen.facts.permissions)))
    facts(rows)
    out().print()
    columns = ["folder", ">files", ">stored", ">unpacked", ">share"]
    table(columns, [_part(p, seen.stored) for p in seen.folders[:15]])
    out().print()
    table(["kind", *columns[1:]], [_part(p, seen.stored) for p in seen.kinds])
    if seen.largest:
        out().print()
        table(["~largest files", ">stored", ">unpacked"], [(e.name, mb(e.stored), mb(e.size)) for e in seen.largest])
    if seen.twins:
        wasted = sum(t.wasted for t in seen.twins)
        out().print(f"\nThe same content more than once: {mb(wasted)} could be saved.")
        table(["~files", ">each", ">wasted"], [(_names(t.names), mb(t.size), mb(t.wasted)) for t in seen.twins[:10]])
    if seen.leftovers:
        out().print(f"\nLikely not meant to ship: {counted(len(seen.leftovers), 'file')}.")
        table(["~file", ">size", "why"], [(f.name, mb(f.size), f.why) for f in seen.leftovers[:LEFTOVERS]])
    if seen.findings:
        out().print()
        findings(seen.findings)
    for note in seen.notes:
        out().print(note)


def _names(names: Sequence[str]) -> str:
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def _part(part: Part, whole: int) -> tuple[object, ...]:
    return part.name, f"{part.files:,}", mb(part.stored), mb(part.size), f"{100 * part.stored / max(1, whole):.1f} %"


def verified(seen: wire.BundleVerified) -> None:
    facts(_says(seen.facts))
    out().print()
    rows = []
    for scheme in seen.schemes:
        word, style = STATES[scheme.state]
        who = "; ".join(f"{w.subject} (SHA-256 {w.fingerprint[:16]}…), {w.algorithm}" for w in scheme.signers)
        why = f"{scheme.where}: {scheme.why}" if scheme.where else scheme.why
        rows.append((scheme.name, Text(word, style=style), why or who))
    table(["scheme", "state", "~who, or why not"], rows, "It carries no signature, and none lies beside it.")
    line = next((s.line for s in seen.schemes if s.line), [])
    if line:
        out().print(f"\nSuccession: {' -> '.join(f[:16] + '…' for f in line)}")
    if seen.levels:
        out().print()
        table(["levels", "looks at", "~installs it"], [_level(v) for v in seen.levels])
    if seen.checksums is not None:
        out().print(f"\n{counted(seen.checksums, 'file')} have the checksum that SHA256SUMS gives.")
    for note in seen.notes:
        out().print(f"● {note}")
    signed = any(s.state != ABSENT for s in seen.schemes)
    err().print("It holds." if seen.holds else "It does not hold." if signed else "It is not signed.")


def _level(level: PlatformLevel) -> tuple[object, ...]:
    reach = f"{level.first} and above" if level.last is None else f"{level.first} to {level.last}"
    return reach, level.scheme or "–", "yes" if level.installs else f"no: {level.why}"


def compared(seen: wire.BundlesCompared, old: str, new: str, limit: int) -> None:
    change = mb(seen.size_after - seen.size_before, signed=True)
    before, after = seen.before, seen.after
    out().print(f"{old} {before.version_name} -> {new} {after.version_name}")
    out().print(f"{mb(seen.size_before)} -> {mb(seen.size_after)} ({change}); {counted(seen.same, 'file')} the same\n")
    table(["kind", ">before", ">after", ">change"], [_grown(k)[:-1] for k in seen.kinds], "No kind of content grew.")
    out().print()
    rows = [_grown(r) for r in seen.rows[:limit]]
    table(["~file", ">before", ">after", ">change", "why"], rows, "No file differs.")
    if len(seen.rows) > limit:
        err().print(f"{len(seen.rows) - limit:,} more: --rows {len(seen.rows)}")


def _grown(row: wire.GrownOut) -> tuple[object, ...]:
    before = "–" if row.before is None else mb(row.before)
    after = "–" if row.after is None else mb(row.after)
    return row.name, before, after, mb(row.change, signed=True) if row.change else "0 B", row.why


def written(seen: wire.BundleWritten, words: str) -> None:
    rows = [("file", seen.file), ("size", mb(seen.bytes)), *_says(seen.facts)]
    if seen.schemes:
        rows += [("signed by", ", ".join(seen.schemes)), ("certificate", f"SHA-256 {seen.fingerprint}")]
    facts(rows)
    for note in seen.notes:
        err().print(f"▲ {note}")
    if words:
        err().print(words)


def split(seen: wire.BundleSplit) -> None:
    rows = [(p.architecture, p.version_code, mb(p.bytes), p.file) for p in seen.pieces]
    table(["architecture", ">version code", ">size", "file"], rows)
