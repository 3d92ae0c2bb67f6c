"""What single texts of a profile document may be. Each check returns a clause that says what is wrong, or nothing."""

from __future__ import annotations

import posixpath
import re

from packaging.specifiers import InvalidSpecifier, SpecifierSet

from rampa.core.content.budgets import read_size
from rampa.core.content.pack.compression import read_rule
from rampa.core.content.tree.paths import path_problem
from rampa.core.platform.table import PLATFORMS

IDENTIFIER = re.compile(r"[a-z][a-z0-9_-]*(\.[a-z][a-z0-9_-]*)+")
NAME = re.compile(r"[a-z0-9][a-z0-9-]{0,48}")
LANGUAGE = re.compile(r"[a-z]{2,3}(-[A-Z][a-z]{3})?(-([A-Z]{2}|\d{3}))?")
LEVEL = re.compile(r"\d{1,9}(\.\d{1,9}){0,3}")
FORBIDDEN = '<>:"/\\|?*'


def identifier(text: str) -> str:
    if IDENTIFIER.fullmatch(text) and len(text) <= 155:
        return ""
    return "it must be reverse-domain: lower-case letters, digits, hyphens and underscores, separated by dots"


def words(text: str) -> str:
    if not text.strip() or len(text) > 100 or not text.isprintable():
        return "it must be 1 to 100 printable characters"
    return ""


def reason(text: str) -> str:
    if len(text.strip()) < 10 or len(text) > 300 or not text.isprintable():
        return "it must say in 10 to 300 characters what the permission is for; players read it"
    return ""


def name(text: str) -> str:
    return "" if NAME.fullmatch(text) else "it must be lower-case letters, digits and hyphens (at most 49)"


def size(text: str) -> str:
    return "" if read_size(text) else "it is a size such as 300 MB or 1.5 GB"


def variable_name(text: str) -> str:
    fits = re.fullmatch(r"[A-Za-z_][A-Za-z0-9_]{0,80}", text)
    return "" if fits else "it is a name of letters, digits and underscores"


def file_name(text: str) -> str:
    if any(c in FORBIDDEN for c in text) or text.endswith((".", " ")) or text.startswith((".", " ")):
        return f"it names a file or folder: none of {' '.join(FORBIDDEN)}, no dot or space at its ends"
    return words(text) or path_problem(text)


def argument(text: str) -> str:
    return "it holds a NUL character or is longer than 4,000 characters" if "\0" in text or len(text) > 4000 else ""


def packing(text: str) -> str:
    return (
        ""
        if read_rule(text)
        else "it must be a level from 0 to 19, a level with `long` or `filtered` as in `12 long`, or `stored`"
    )


def language(text: str) -> str:
    return "" if LANGUAGE.fullmatch(text) else "it must be a language tag (BCP 47) such as en, fi or pt-BR"


def language_files(text: str) -> str:
    return "" if text.count("{language}") == 1 else "it must hold {language} once, where the tag stands"


def resolution(text: str) -> str:
    match = re.fullmatch(r"(\d{3,5})x(\d{3,5})", text)
    return "" if match else "it must be width x height in pixels, such as 1920x1080"


def colour(text: str) -> str:
    return "" if re.fullmatch(r"#[0-9a-fA-F]{6}", text) else "it must be a colour such as #1f1b18"


def level(text: str) -> str:
    return "" if LEVEL.fullmatch(text) else "it must be numbers separated by dots, such as 29 or 10.0.17763"


def architecture(text: str) -> str:
    known = sorted({a for p in PLATFORMS.values() for a in p.architectures})
    return "" if text in known else f"it is no architecture; there is: {', '.join(known)}"


def versions(text: str) -> str:
    try:
        SpecifierSet(text)
    except InvalidSpecifier:
        return "it must be a version range such as >=3.2,<4"
    return "" if text.strip() else "it is empty"


def bundle_template(text: str) -> str:
    if "{version}" not in text:
        return "it must hold {version}, so that people can tell two bundles apart"
    left = re.sub(r"\{(title|version|code|profile|platform)\}", "", text)
    if "{" in left or "}" in left:
        return "it may hold {title}, {version}, {code}, {profile} and {platform} in braces, nothing else"
    if not re.fullmatch(r"[\w.+ -]+", re.sub(r"\{\w+\}", "x", text), re.ASCII) or text.startswith((".", " ", "-")):
        return "it may hold letters, digits, dots, plus signs, hyphens, underscores and spaces, and starts with none of . - space"
    return path_problem(text)


def outside_folder(text: str) -> str:
    """By the text alone: the document's own folder is the source tree's root."""
    if "\0" in text or not text.strip():
        return "it is empty"
    if re.match(r"([/\\~]|[A-Za-z]:)", text):
        return ""
    if posixpath.normpath(text.replace("\\", "/")).split("/")[0] == "..":
        return ""
    return "it must lie outside the source tree, or the next build would take the last one in; begin it with ../"
