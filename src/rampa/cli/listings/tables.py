"""How listings are printed: findings, how they stand, what changed, what a storefront shows."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text

from rampa.cli.base.output import SEVERITY, facts, out, table
from rampa.core.listing.changes import ListingChange
from rampa.core.listing.layout import picture_place
from rampa.core.listing.rules import FIELDS, LINKS
from rampa.core.profile.text_changes import difference
from rampa.core.quantity import counted
from rampa.schema import listings as wire

SHORT = 70


def findings(found: Sequence[wire.ListingFindingOut]) -> None:
    for f in found:
        mark, style = SEVERITY[f.severity]
        of = ", ".join(filter(None, (f.storefront, f.language, f.form)))
        out().print(Text.assemble((mark, style), f" {f.message}", (f"  {of}" if of else "", "dim")), soft_wrap=True)
        out().print(Text(f"  {f.where}", style="dim"), soft_wrap=True)
        out().print(Text(f"  {f.hint} {f.fix_words}".rstrip()), soft_wrap=True)
        if f.fix:
            out().print(Text(f"  rampa listing fix {f.name!r}".replace("'", '"'), style="dim"), soft_wrap=True)
    severities = [f.severity for f in found]
    out().print(", ".join(counted(severities.count(s), s) for s in SEVERITY) + ".")


def standings(found: wire.ListingCheck) -> None:
    rows = [
        (
            s.title,
            s.category or "not said",
            s.rating or "not rated",
            _live(s.live, found.number),
            s.blockers,
            s.warnings,
            ", ".join(f"{lang} {SEVERITY[worst][0][0] if worst else '✓'}" for lang, worst in s.languages.items()),
        )
        for s in found.storefronts
    ]
    columns = ["storefront", "category there", "rating there", "players see", "#blockers", "#warnings", "~languages"]
    table(columns, rows, "No profile of the title is for a storefront.")
    if any(s.blockers or s.warnings for s in found.storefronts):
        out().print("See `rampa listing check`.")


def _live(live: int, number: int) -> str:
    if not live:
        return "nothing yet"
    return "this state" if live == number else f"state {live}"


def changes(changed: Sequence[ListingChange], before: str, after: str) -> None:
    """Long texts line by line."""
    if not changed:
        out().print(f"{before} and {after} say the same.")
    for c in changed:
        key = ".".join(c.path)
        out().print(Text.assemble((c.file, "bold"), f" {key}"), soft_wrap=True)
        if c.before and c.after and "\n" in c.before + c.after:
            for line in difference(c.before, c.after, before, after).splitlines()[2:]:
                out().print(Text(f"  {line}", style=_shade(line)), soft_wrap=True)
            continue
        for sign, value in (("-", c.before), ("+", c.after)):
            if value is not None:
                out().print(Text(f"  {sign} {_value(c.file, value)}", style=_shade(sign)), soft_wrap=True)


def fixes(chosen: Sequence[wire.ListingFindingOut]) -> None:
    for f in chosen:
        out().print(Text(f"{f.message}:", style="bold"), soft_wrap=True)
        for edit in f.fix:
            value = "taken out" if edit.value is None else _value(edit.file, edit.value)
            out().print(Text(f"  {' '.join(filter(None, (edit.file, '.'.join(edit.path))))}: {value}"), soft_wrap=True)


def shown(found: wire.ShownOut) -> None:
    out().print(f"{found.storefront_title} (simulated), {found.language}, on a {found.form}:", style="bold")
    if not found.seen:
        out().print(f"Those who read {found.language} do not see the title there: its texts are not whole.")
    rows: list[tuple[str, object]] = []
    for field in FIELDS:
        text = found.texts[field]
        if text is None:
            rows.append((FIELDS[field], "not said"))
        else:
            told = f"in {text.language}, {text.count:,} of {text.most:,}"
            rows.append((FIELDS[field], f"{text.value}\n({told})"))
    rows += [("category", found.category or "not said"), ("rating", found.rating or "not rated")]
    rows += [(LINKS[name], address) for name, address in found.links.items()]
    rows += [("licence", found.licence or "not said"), ("video", found.video or "none")]
    rows += [("pictures", "\n".join(f"{p.path}, {p.width:,} x {p.height:,} px" for p in found.pictures) or "none")]
    facts(rows)


def _value(file: str, value: str) -> str:
    """Of a picture its digest's beginning."""
    if picture_place(file) is not None:
        return f"picture {value[:12]}"
    text = value.replace("\n", " ")
    return text if len(text) <= SHORT else text[: SHORT - 1] + "…"


def _shade(line: str) -> str:
    return "green" if line.startswith("+") else "red" if line.startswith("-") else "dim"
