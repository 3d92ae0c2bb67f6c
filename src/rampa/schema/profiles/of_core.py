"""Core values of profiles as wire types: converted here, once."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from rampa.core.check.profile_findings import ProfileFinding
from rampa.core.platform.requirements import Among, OneOf
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.platform.table import PLATFORMS, rules_for
from rampa.core.profile.comparison import Difference
from rampa.core.profile.document import Document
from rampa.core.profile.edits import Edit
from rampa.core.profile.layers import Layer
from rampa.core.profile.matrix import matrix
from rampa.core.profile.resolution import Resolved
from rampa.core.profile.settings.table import GROUPS, SETTINGS
from rampa.core.profile.values import ListChange, Origin, Value, spoken
from rampa.schema.profiles import profiles as wire


def origin_out(origin: Origin) -> wire.OriginOut:
    return wire.OriginOut(layer=origin.layer, line=origin.line, column=origin.column)


def value_out(value: Value | None) -> wire.ValueOut | None:
    if value is None:
        return None
    parts = {item: origin_out(o) for item, o in (value.parts or {}).items()}
    return wire.ValueOut(
        value=_json(value.value), text=spoken(value.value), origin=origin_out(value.origin), parts=parts
    )


def _json(value: Any) -> Any:
    return list(value) if isinstance(value, tuple) else value


def edit_out(edit: Edit) -> wire.EditWire:
    return wire.EditWire(path=list(edit.path), value=_json(edit.value), says=edit.words())


def edit_in(edit: wire.EditWire) -> Edit:
    return Edit(tuple(edit.path), edit.value)


def finding_out(finding: ProfileFinding) -> wire.ProfileFindingOut:
    setting = SETTINGS.get(finding.key)
    return wire.ProfileFindingOut(
        name=finding.name,
        severity=finding.severity,
        code=finding.code,
        profile=finding.profile,
        key=finding.key,
        label=setting.label if setting else finding.key,
        origin=origin_out(finding.origin),
        value=finding.value,
        allowed=finding.allowed,
        message=finding.message,
        hint=finding.hint,
        fix=[edit_out(e) for e in finding.fix],
    )


def check_out(title: str, revision: int, document: Document, findings: Sequence[ProfileFinding]) -> wire.CheckOut:
    found = [finding_out(f) for f in findings]
    return wire.CheckOut(title=title, revision=revision, profiles=len(document.profiles), findings=found)


def comparison_out(left: wire.SideOut, right: wire.SideOut, differences: Sequence[Difference]) -> wire.ComparisonOut:
    return wire.ComparisonOut(
        left=left, right=right, groups=groups_out(), differences=[difference_out(d) for d in differences]
    )


def layers_out(document: Document) -> list[wire.LayerOut]:
    return [_layer(layer) for layer in (document.base, *document.facets.values(), *document.layers.values())]


def _layer(layer: Layer) -> wire.LayerOut:
    values = {key: _json(value.value) for key, value in layer.values.items()}
    changes = {}
    for key, change in layer.changes.items():
        if isinstance(change, ListChange):
            changes[key] = wire.ListChangeOut(add=list(change.add), take=list(change.take))
        else:
            values[key] = {name: text for name, text in change.entries.items() if text is not None}
    return wire.LayerOut(
        name=layer.name, path=list(layer.path), facets=list(layer.facets), values=values, changes=changes
    )


def difference_out(difference: Difference) -> wire.DifferenceOut:
    setting = SETTINGS[difference.key]
    return wire.DifferenceOut(
        key=setting.key,
        label=setting.label,
        group=setting.group,
        left=value_out(difference.left),
        right=value_out(difference.right),
        added=list(difference.added),
        taken=list(difference.taken),
        moved=difference.moved,
    )


def groups_out() -> list[wire.GroupOut]:
    return [wire.GroupOut(name=name, label=label) for name, label in GROUPS.items()]


def resolved_out(title: str, revision: int, profile: Resolved, findings: Sequence[ProfileFinding]) -> wire.ResolvedOut:
    return wire.ResolvedOut(
        title=title,
        revision=revision,
        **_named(profile),
        settings=[
            wire.ResolvedSetting(key=s.key, label=s.label, group=s.group, value=value_out(profile.values.get(s.key)))
            for s in SETTINGS.values()
        ],
        findings=[finding_out(f) for f in findings],
    )


def _named(profile: Resolved) -> dict[str, Any]:
    platform = profile.settings.platform
    return {
        "name": profile.name,
        "platform": platform,
        "platform_title": PLATFORMS[platform].title,
        "purpose": profile.settings.purpose,
        "storefront": profile.settings.storefront,
        "facets": list(profile.facets),
    }


def matrix_out(title: str, revision: int, document: Document, findings: Sequence[ProfileFinding]) -> wire.MatrixOut:
    counts = Counter((f.profile, f.severity) for f in findings)
    columns = [
        wire.ColumnOut(
            **_named(p),
            blockers=counts[p.name, "blocker"],
            warnings=counts[p.name, "warning"],
            notes=counts[p.name, "note"],
        )
        for p in document.profiles.values()
    ]
    rows = [
        wire.RowOut(
            key=row.key,
            label=SETTINGS[row.key].label,
            group=SETTINGS[row.key].group,
            differs=row.differs,
            odd=sorted(row.odd),
            cells=[value_out(cell) for cell in row.cells],
        )
        for row in matrix(list(document.profiles.values()))
    ]
    return wire.MatrixOut(
        title=title,
        revision=revision,
        columns=columns,
        groups=groups_out(),
        rows=rows,
        findings=[finding_out(f) for f in findings],
        facets=list(document.facets),
    )


@lru_cache(maxsize=1)
def settings_out() -> wire.SettingsOut:
    """The table of settings with what each platform allows."""
    return wire.SettingsOut(
        groups=groups_out(),
        settings=[
            wire.SettingOut(
                key=s.key,
                group=s.group,
                label=s.label,
                help=s.help,
                kind=s.kind,
                required=s.required,
                allowed=list(s.allowed),
                least=s.least,
                most=s.most,
                unit=s.unit,
                example=s.example,
                platforms=list(s.platforms),
                used=s.used,
                everywhere=s.everywhere,
            )
            for s in SETTINGS.values()
        ],
        platforms=[
            wire.PlatformOut(name=p.name, title=p.title, levels=p.levels, lowest=p.lowest, allowed=_allowed(p.name))
            for p in PLATFORMS.values()
        ],
        storefronts={s.name: s.title for s in STOREFRONTS.values()},
    )


def _allowed(platform: str) -> dict[str, list[str]]:
    """What the platform's rules leave of a setting's choices."""
    rules = rules_for(platform, "", "testing")
    return {
        r.key: [str(v) for v in r.requirement.values]
        for r in rules
        if isinstance(r.requirement, OneOf | Among) and not r.when
    }
