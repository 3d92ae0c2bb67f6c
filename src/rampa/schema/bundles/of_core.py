"""Core values of bundles as wire types: converted here, once."""

from __future__ import annotations

from collections.abc import Iterable

from rampa.core.bundle.comparison import Compared, Grown
from rampa.core.bundle.inspection import Inspected
from rampa.core.bundle.package import Facts
from rampa.core.bundle.property_list import UNSIGNED
from rampa.core.bundle.verification import Scheme, Verified
from rampa.core.check.findings import Finding
from rampa.schema.bundles import bundles as wire


def facts_out(facts: Facts) -> wire.BundleFacts:
    return wire.BundleFacts(
        kind=facts.kind,
        identifier=facts.identifier,
        version_name=facts.version_name,
        version_code=facts.version_code,
        minimum=facts.minimum,
        target=facts.target,
        permissions=list(facts.permissions),
        debuggable=facts.debuggable,
        test_only=facts.test_only,
        architectures=list(facts.architectures),
        libraries={abi: list(names) for abi, names in facts.libraries.items()},
    )


def inspected_out(file: str, size: int, seen: Inspected, findings: Iterable[Finding]) -> wire.BundleInspected:
    return wire.BundleInspected(
        file=file,
        bytes=size,
        facts=facts_out(seen.facts),
        files=seen.files,
        size=seen.size,
        stored=seen.stored,
        overhead=seen.overhead,
        signed_by=list(seen.signed_by),
        folders=list(seen.folders),
        kinds=list(seen.kinds),
        largest=[wire.BundleEntryOut(name=e.name, stored=e.stored, size=e.size) for e in seen.largest],
        twins=list(seen.twins),
        leftovers=list(seen.leftovers),
        findings=list(findings),
        notes=[UNSIGNED] if seen.facts.kind == "ipa" else [],
    )


def verified_out(file: str, seen: Verified, checksums: int | None = None) -> wire.BundleVerified:
    return wire.BundleVerified(
        file=file,
        holds=seen.holds,
        facts=facts_out(seen.facts),
        schemes=[scheme_out(s) for s in seen.schemes],
        levels=list(seen.levels),
        checksums=checksums,
        notes=[*seen.notes, *([UNSIGNED] if seen.facts.kind == "ipa" else [])],
    )


def scheme_out(scheme: Scheme) -> wire.SchemeOut:
    return wire.SchemeOut(
        name=scheme.name,
        state=scheme.state,
        signers=list(scheme.signers),
        why=scheme.why,
        where=scheme.where,
        line=list(scheme.line),
    )


def compared_out(seen: Compared) -> wire.BundlesCompared:
    return wire.BundlesCompared(
        before=facts_out(seen.before),
        after=facts_out(seen.after),
        size_before=seen.size_before,
        size_after=seen.size_after,
        same=seen.same,
        rows=[_grown(r) for r in seen.rows],
        kinds=[_grown(r) for r in seen.kinds],
    )


def _grown(row: Grown) -> wire.GrownOut:
    return wire.GrownOut(name=row.name, before=row.before, after=row.after, change=row.change, why=row.why)
