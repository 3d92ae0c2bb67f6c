"""docs/profile-document.md, from the tables that the reader itself uses: `python -m rampa.schema.profiles.reference`."""

from __future__ import annotations

from rampa.core.content.select.file_traits import DEBUG_INSIDE, ROWS, SYMBOLS_ONLY
from rampa.core.content.select.leave_out_classes import ALWAYS, LEAVE_OUT_CLASSES
from rampa.core.platform.rules import Rule
from rampa.core.platform.storefronts import STOREFRONTS
from rampa.core.platform.table import PLATFORMS
from rampa.core.profile.document import MAX_APPLIED, MOST
from rampa.core.profile.settings.kinds import Setting
from rampa.core.profile.settings.steps import STEP
from rampa.core.profile.settings.table import DEPOT, GROUPS, SETTINGS
from rampa.core.profile.values import MAX_ITEMS, spoken

INTRO = f"""# The profile document

`rampa.toml`, in TOML 1.0: the title, how it is built for every platform, and how its content is split into depots.
This page is made from the tables that read it (`python -m rampa.schema.profiles.reference > docs/profile-document.md`;
a test holds it current). `rampa profile settings [WORD]` prints them too, and `rampa profile propose FOLDER` proposes
a first document and says why.

```toml
[title]
name = "Peatlight"
identifier = "example.quillback.peatlight"
studio = "Quillback Works"

[version]
name = "1.5.0"

[content]                                  # what the document's own tables say holds for every profile
include = ["bin/", "data/", "maps/"]

[facets.handheld]                          # a named part that profiles use
display.touch_controls = true
content.include = {{ take = ["maps/"] }}     # a list: replaced by a list, or changed by add and take

[profiles.android-release]
facets = ["handheld"]                        # in this order; later wins, and the profile wins over all
platform = "android"
purpose = "release"
code.architectures = ["arm64"]
launch.entry = "bin/peatlight"

[depots.base]
```

## How a value comes about

1. the default; 2. the document's own tables; 3. the facets that the profile uses, in their order, what a facet uses
before itself, each once, at the first place where it is needed; 4. the profile. A later text, number or flag replaces
an earlier one. A list replaces the list before it; `{{ add = [...], take = [...] }}` changes it (what is to be taken
and is not there is a warning). Tables keep their entries and add new ones; `false` takes an entry away. Every value
knows where it was said: layer, line and column, for lists each item.

An unknown key, a value of another type, an unknown facet, facets that use one another, a key that is missing, and
anything that looks like a secret are errors with line and column, all at once. A document has at most 1 MiB,
{MOST["profiles"]} profiles, {MOST["facets"]} facets of which {MAX_APPLIED} apply to one profile, {MOST["depots"]}
depots, and {MAX_ITEMS} items in a list.

The identifier must be given; where it is missing, the error proposes one from studio and name. Keys, passwords and
tokens never stand in a document, in no value and in no comment: name a signing identity or a set of step variables.
"""

USED = {
    "build": "the build",
    "checks": "checks",
    "runs": "checks; the steps of a run",
    "placing": "where finished builds go",
}


def reference() -> str:
    """The whole page."""
    return "\n".join([INTRO, *_settings(), *_depots(), *_steps(), *_classes(), *_platforms(), *_storefronts(), CHECKS])


def _settings() -> list[str]:
    out = [
        "## Settings",
        "",
        "Each stands in the document's own table, in a facet (`[facets.NAME]`) and in a profile (`[profiles.NAME]`);",
        "`platform`, `purpose` and `storefront` in facets and profiles only. `used by`: what a setting changes today.",
        "",
    ]
    for group, label in GROUPS.items():
        out += [
            f"### {label}",
            "",
            "| key | type | default | platforms | used by | what it is | example |",
            "|---|---|---|---|---|---|---|",
        ]
        out += [_row(s) for s in SETTINGS.values() if s.group == group] + [""]
    return out


def _row(setting: Setting) -> str:
    kind = setting.kind
    if setting.allowed:
        kind += ": " + ", ".join(f"`{a}`" for a in setting.allowed)
    elif kind == "number":
        kind += f", {setting.least} to {setting.most}"
    if setting.unit:
        kind += f" ({setting.unit})"
    if setting.required:
        default = "must be given"
    elif callable(setting.default):
        default = "by platform or purpose" if setting.group != "title" else "the name"
    else:
        default = f"`{spoken(setting.default)}`" if setting.default not in (None, "") else "none"
    platforms = ", ".join(setting.platforms) or "all"
    cells = (f"`{setting.key}`", kind, default, platforms, USED[setting.used], setting.help, f"`{setting.example}`")
    return "| " + " | ".join(c.replace("|", "\\|") for c in cells) + " |"


def _depots() -> list[str]:
    out = [
        "## Depots",
        "",
        "`[depots.NAME]`; at least one.",
        "",
        "| key | type | what it is | example |",
        "|---|---|---|---|",
    ]
    out += [f"| `depots.NAME.{s.name}` | {s.kind} | {s.help} | `{s.example}` |" for s in DEPOT.values()]
    return [*out, ""]


def _steps() -> list[str]:
    out = [
        "## Steps",
        "",
        "`[steps.NAME]`: a command of the title's own, or limits for the built-in step of that name. A profile says the order in",
        "`toolchain.steps`; facets replace that list, or change it by `add` and `take`.",
        "",
        "| key | type | what it is | example |",
        "|---|---|---|---|",
    ]
    out += [f"| `steps.NAME.{s.name}` | {s.kind} | {s.help} | `{s.example}` |" for s in STEP.values()]
    return [*out, ""]


def _classes() -> list[str]:
    out = ["## Leave-out classes, version 1", "", "| class | patterns |", "|---|---|"]
    for name, (_, patterns) in LEAVE_OUT_CLASSES.items():
        always = " (always)" if name in ALWAYS else ""
        out.append(f"| `{name}`{always} | `{' '.join(patterns)}` |")
    signs = ["", "By content, whatever a file is called:", "", "| class | sign |", "|---|---|"]
    listed = dict.fromkeys((r.trait.cls, r.trait.why) for r in ROWS)
    extra = [("secrets", "private key (PEM, PKCS#12)"), (SYMBOLS_ONLY.cls, SYMBOLS_ONLY.why)]
    signs += [f"| `{cls}` | {why} |" for cls, why in dict.fromkeys([*listed, *extra])]
    signs.append(f"| said, not left out | {DEBUG_INSIDE.why} |")
    tail = (
        "A file goes in when an include pattern matches and no leave-out pattern does; `rampa build files BUILD --left-out`\n"
        "lists what stayed out and the line that says so. Units, languages and addons that other profiles have and this one\n"
        "does not stay out too. A leave-out pattern that begins with `!` keeps a file that a class would take."
    )
    return [*out, *signs, "", tail, ""]


def _platforms() -> list[str]:
    out = [
        "## Platforms, version 2",
        "",
        "| platform | bundles | architectures | highest version code | level | lowest | graphics | icons (px) |"
        " opening picture | longest path |",
        "|---|---|---|---|---|---|---|---|---|---|",
    ]
    for p in PLATFORMS.values():
        icons = ", ".join(str(s) for i in p.icons for s in (i.holds or (i.size,)))
        opaque = ", opaque" if any(i.opaque for i in p.icons) else ""
        form = "ICO" if p.icons[0].form == "ico" else "PNG"
        picture = f"{p.opening.width} x {p.opening.height} {'BMP, 24 bit' if p.opening.form == 'bmp' else 'PNG'}"
        cells = (
            f"`{p.name}`",
            ", ".join(p.containers),
            ", ".join(p.architectures),
            str(p.code_limit),
            p.levels,
            p.lowest,
            ", ".join(p.graphics),
            f"{form}{opaque}: {icons}",
            picture,
            str(p.path_limit),
        )
        out.append("| " + " | ".join(cells) + " |")
    return [*out, "", "Beyond that:", "", *(_rule(p.title, r) for p in PLATFORMS.values() for r in p.rules), ""]


def _storefronts() -> list[str]:
    out = ["## Storefronts, version 1", "", "All three are simulated and ship with Rampa.", ""]
    for shop in STOREFRONTS.values():
        out.append(f"**{shop.title}** (`{shop.name}`), for {', '.join(shop.platforms)}:")
        out += ["", *(_rule("", r) for r in shop.rules), ""]
    return out


def _rule(who: str, rule: Rule) -> str:
    when = f", when {' and '.join(f'{k} is {spoken(v)}' for k, v in rule.when)}" if rule.when else ""
    lead = f"{who}: " if who else ""
    return f"- {lead}`{rule.key}` must be {rule.requirement.words()}{when}; otherwise {rule.why} ({rule.severity}, `{rule.code}`)"


CHECKS = """## What checks find

A finding is a blocker, a warning or a note; it names the key, where its value was said, the value, what is allowed,
and, where a machine can say one, the edit that fixes it. `rampa profile check` ends with 6 when there is a blocker,
with 9 when there is a warning and no blocker, else with 0; `--document FILE` needs no service, so that a repository's
own checks can run it. No build starts for a profile with a blocker.

Besides the rules above: the opening unit is among the units and the first of them; the target level is not below the
minimum; launch entries name only architectures that are built; addons have a depot; encrypted depots have a launch
entry that reads them; no program or folder has a name that the platform keeps for itself; the signing identity exists
(where a service can tell); nothing is taken from a list that does not hold it; two profiles' bundles do not have one
name; every facet is used. With the folder at hand: the icon and the opening picture are there, are pictures, and are
large enough (an icon square, and opaque where it must be).

## The checks of a placement

| finding | severity | what it is |
|---|---|---|
| `bundle.unsigned` | blocker | the profile names no signing identity |
| `version.not-rising` | blocker | the channel had this version code, or a higher one, on this platform |
| `launch.missing`, `launch.not-executable` | blocker | the launch entry is in no depot, or cannot be started |
| `depot.overlap` | blocker | two depots deliver one path |
| `path.case` | blocker on Windows and macOS, else warning | names that differ only by case |
| `path.reserved` | blocker on Windows | reserved names, forbidden characters, a dot or space at the end |
| `depot.none` | warning | a file of the bundle that no depot delivers |
| `path.too-long` | blocker | a path is longer than the platform takes |
| `build.not-ready`, `build.live` | blocker | the upload is not complete; it is live there already |
"""

if __name__ == "__main__":
    print(reference(), end="")
