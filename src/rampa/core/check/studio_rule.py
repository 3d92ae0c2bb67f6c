"""Checks of the studio's own: what a storefront found once and no table knows, as a rule in a small form.

    [private-words]
    says = "a text inside says that it must not ship"
    files = ["*.txt", "*.md"]
    holds = ["confidential", "do not ship"]

A rule looks at one thing: files by their names (`files`, patterns as in gitignore(5)), with `holds` at words in them; a
`permission` that is asked for; a `framework` that is `older_than` a version. docs/submissions.md has all keys.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from rampa.core.bundle.frameworks import Framework, older
from rampa.core.check.findings import SEVERITIES, Finding
from rampa.core.errors import Invalid
from rampa.core.patterns import read_patterns

NAME = re.compile(r"[a-z][a-z0-9-]{0,59}")
KEYS = ("says", "severity", "hint", "storefronts", "files", "holds", "permission", "framework", "older_than")
MOST_TEXT = 16_000
MOST_WORDS = 20
HEAD = 64 * 1024
"""Bytes of a file that are looked at."""
MOST_FILES = 400
"""Whose content is looked at, for one rule."""
SHOWN = 5


@dataclass(frozen=True)
class StudioRule:
    """`storefronts` empty: all. One of `files`, `permission`, `framework` is said."""

    name: str
    says: str
    severity: str = "blocker"
    hint: str = ""
    storefronts: tuple[str, ...] = ()
    files: tuple[str, ...] = ()
    holds: tuple[str, ...] = ()
    permission: str = ""
    framework: str = ""
    older_than: str = ""


@dataclass(frozen=True)
class Ruled:
    """What rules look at. `read` answers the first bytes of a file."""

    paths: tuple[str, ...]
    permissions: frozenset[str]
    frameworks: tuple[Framework, ...]
    read: Callable[[str], bytes]


def read_rule(text: str) -> StudioRule:
    """One rule, as TOML 1.0. Raises `Invalid` with what is wrong, and where."""
    if len(text) > MOST_TEXT:
        raise Invalid("rule.long", f"a rule has at most {MOST_TEXT:,} characters")
    try:
        said = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise Invalid(
            "rule.toml", f"the rule cannot be read: {error}"[:300], hint="It is TOML: [name], then its keys."
        ) from error
    tables = {name: table for name, table in said.items() if isinstance(table, dict)}
    if len(said) != 1 or len(tables) != 1:
        raise Invalid("rule.one", "one rule is one table: [name], and its keys below it")
    name, table = next(iter(tables.items()))
    if not NAME.fullmatch(name):
        raise Invalid("rule.name", "a rule's name has lower-case letters, digits and hyphens", where=name[:80])
    return _made(name, table)


def _made(name: str, table: dict[str, Any]) -> StudioRule:
    unknown = next((key for key in table if key not in KEYS), None)
    if unknown is not None:
        raise Invalid("rule.key", f"a rule has no key {unknown[:60]!r}", where=name, hint=f"It has: {', '.join(KEYS)}.")
    rule = StudioRule(
        name,
        _text(name, table, "says"),
        _text(name, table, "severity") or "blocker",
        _text(name, table, "hint"),
        _texts(name, table, "storefronts"),
        _texts(name, table, "files"),
        _texts(name, table, "holds"),
        _text(name, table, "permission"),
        _text(name, table, "framework"),
        _text(name, table, "older_than"),
    )
    _must_be_whole(rule)
    return rule


def _must_be_whole(rule: StudioRule) -> None:
    looks = [key for key in ("files", "permission", "framework") if getattr(rule, key)]
    if len(looks) != 1:
        raise Invalid("rule.looks", "a rule looks at one of files, permission, framework", where=rule.name)
    if not rule.says.strip():
        raise Invalid("rule.says", "say what is wrong where the rule holds: says", where=rule.name)
    if rule.severity not in SEVERITIES:
        raise Invalid("rule.severity", f"severity is one of {', '.join(SEVERITIES)}", where=rule.name)
    if rule.holds and not rule.files:
        raise Invalid("rule.holds", "words are looked for in files: say files, too", where=rule.name)
    if bool(rule.framework) != bool(rule.older_than):
        raise Invalid(
            "rule.framework", "a framework is older than a version: say framework and older_than", where=rule.name
        )
    if rule.older_than and not re.fullmatch(r"\d{1,6}(\.\d{1,6}){0,3}", rule.older_than):
        raise Invalid("rule.version", "a version is numbers with dots between them", where=rule.name)
    read_patterns(rule.files)


def _text(name: str, table: dict[str, Any], key: str) -> str:
    said = table.get(key, "")
    if not isinstance(said, str) or len(said) > 500 or any(ord(c) < 32 for c in said):
        raise Invalid("rule.value", f"{key} is one line of text", where=name)
    return said


def _texts(name: str, table: dict[str, Any], key: str) -> tuple[str, ...]:
    said = table.get(key, [])
    good = (
        isinstance(said, list)
        and len(said) <= MOST_WORDS
        and all(isinstance(s, str) and 0 < len(s) <= 200 for s in said)
    )
    if not good:
        raise Invalid("rule.value", f"{key} is a list of at most {MOST_WORDS} texts", where=name)
    return tuple(said)


def rule_text(rule: StudioRule) -> str:
    """As it is written: only what is said."""
    lines = [f"[{rule.name}]", f"says = {_quoted(rule.says)}"]
    if rule.severity != "blocker":
        lines.append(f"severity = {_quoted(rule.severity)}")
    for key in ("hint", "permission", "framework", "older_than"):
        if getattr(rule, key):
            lines.append(f"{key} = {_quoted(getattr(rule, key))}")
    for key in ("storefronts", "files", "holds"):
        if getattr(rule, key):
            lines.append(f"{key} = [{', '.join(_quoted(v) for v in getattr(rule, key))}]")
    return "\n".join(lines) + "\n"


def _quoted(text: str) -> str:
    """A basic string of TOML 1.0."""
    escaped = text.replace("\\", "\\\\").replace('"', '\\"')
    return '"' + "".join(c if c.isprintable() else f"\\u{ord(c):04x}" for c in escaped) + '"'


def apply_rules(rules: Iterable[StudioRule], storefront: str, ruled: Ruled) -> Iterator[Finding]:
    for rule in rules:
        if not rule.storefronts or storefront in rule.storefronts:
            found = list(_places(rule, ruled))
            for place in found[:SHOWN]:
                more = f" (one of {len(found)})" if len(found) > SHOWN else ""
                hint = rule.hint or f"Mend it and build again. The rule {rule.name} is the studio's own."
                yield Finding(rule.severity, f"studio.{rule.name}", rule.says + more, place, hint)


def _places(rule: StudioRule, ruled: Ruled) -> Iterator[str]:
    if rule.permission:
        if rule.permission in ruled.permissions:
            yield f"permission {rule.permission}"
    elif rule.framework:
        for framework in ruled.frameworks:
            if framework.name == rule.framework.lower() and older(framework.version, rule.older_than):
                yield framework.path
    else:
        matching = read_patterns(rule.files)
        paths = [path for path in ruled.paths if matching.match_file(path)]
        yield from paths if not rule.holds else _holding(rule, paths, ruled.read)


def _holding(rule: StudioRule, paths: list[str], read: Callable[[str], bytes]) -> Iterator[str]:
    words = [word.casefold() for word in rule.holds]
    for path in paths[:MOST_FILES]:
        text = read(path)[:HEAD].decode("utf-8", "replace").casefold()
        if any(word in text for word in words):
            yield path


def proposed(code: str, message: str, where: str, storefront: str, paths: Iterable[str]) -> StudioRule:
    """A rule that would have found what a storefront's machines found: a permission, or the file that they named.

    Raises `Invalid` for what names neither: a person writes such a rule.
    """
    name = re.sub(r"[^a-z0-9]+", "-", code.lower()).strip("-")[:50] or "found"
    name = name if name[0].isalpha() else f"found-{name}"
    says, only = " ".join(message.split())[:400] or code, (storefront,)
    if where.startswith("permission "):
        return StudioRule(name, says, storefronts=only, permission=where.partition(" ")[2][:200])
    # A bundle's files lie below a folder of its own: the storefront names them as it unpacked them.
    if any(where == path or where.endswith("/" + path) for path in paths):
        return StudioRule(name, says, storefronts=only, files=(_pattern(where),))
    raise Invalid(
        "rule.no-place",
        "it names no file of the build and no permission",
        where=where[:200],
        hint="Write the rule by hand.",
    )


def _pattern(path: str) -> str:
    """Files of that name anywhere; characters that mean something in patterns are taken as they are."""
    return re.sub(r"([*?\[\]\\!#])", r"\\\1", path.rpartition("/")[2])[:200]
