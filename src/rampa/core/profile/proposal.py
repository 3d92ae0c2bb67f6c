"""Proposing a first profile document from what a source folder holds; every line says why it is proposed."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field

from rampa.core.content.select.leave_out_classes import ALWAYS, LEAVE_OUT_CLASSES
from rampa.core.content.tree.paths import path_problem, printable
from rampa.core.patterns import read_patterns
from rampa.core.profile.edits import literal
from rampa.core.profile.file_probe import Languages, Program, Seen, find_languages, pictures, programs
from rampa.core.profile.identifiers import proposed_identifier
from rampa.core.version.name import SEMVER

ADDON_FOLDERS = ("addons", "addon", "add-ons", "extras", "expansions")
LARGE = 100_000_000
SHOWN = 3


@dataclass(frozen=True)
class Proposal:
    """`text` is a valid document; `reasons` the same reasons as its comments: (line of the document, why)."""

    text: str
    reasons: tuple[tuple[str, str], ...]


@dataclass
class _Writing:
    lines: list[str] = field(default_factory=list)
    reasons: list[tuple[str, str]] = field(default_factory=list)

    def table(self, name: str) -> None:
        self.lines += ["", f"[{name}]"]

    def say(self, key: str, value: object, why: str) -> None:
        line = f"{key} = {literal(value)}"
        self.reasons.append((line, why))
        self.lines += [f"# {printable(why)}", line]


def propose(folder: str, seen: Sequence[Seen], *, studio: str = "", domain: str = "") -> Proposal:
    """`folder` is the folder's name. The document that comes out is valid, and reads as what was found."""
    files = sorted((s for s in seen if not path_problem(s.path)), key=lambda s: s.path)
    name = _title(folder)
    found = programs(files)
    out = _Writing(
        [f"# Proposed from the folder {folder!r}: {len(files):,} files. Each line says why; correct what is wrong."]
    )
    _identity(out, name, files, studio, domain)
    _content(out, files, found)
    _pictures(out, files)
    _profiles(out, name, found)
    _depots(out, files)
    return Proposal("\n".join(out.lines) + "\n", tuple(out.reasons))


def _title(folder: str) -> str:
    # A version in the folder's name is not the title's name: peatlight-1.4 is Peatlight.
    plain = re.sub(r"[-_ ]?v?\d+(\.\d+)+.*$", "", folder)
    words = re.sub(r"[^\w]+|_", " ", plain).strip()[:60]
    return words.title() if words and words.islower() else words or "Title"


def _identity(out: _Writing, name: str, files: list[Seen], studio: str, domain: str) -> None:
    out.table("title")
    out.say("name", name, "The folder's name.")
    identifier = proposed_identifier(studio or "studio", name, domain)
    hint = (
        f"From the domain {domain}"
        if domain
        else "Put your own domain's parts, last one first, in place of the first two"
    )
    out.say("identifier", identifier, f"{hint}; it can never change once a storefront knows it.")
    out.say("studio", studio or "Studio", "The studio of the service." if studio else "Nothing says it: correct this.")
    out.table("version")
    version, where = _version(files)
    out.say("name", version, f"Read in {where}." if where else "Nothing says it: a start.")


def _version(files: list[Seen]) -> tuple[str, str]:
    for seen in files:
        if re.fullmatch(r"(?i)version(\.txt)?", seen.path):
            match = SEMVER.search(seen.head.decode("utf-8", "replace"))
            if match:
                return match.group(), seen.path
    return "0.1.0", ""


def _content(out: _Writing, files: list[Seen], found: list[Program]) -> None:
    out.table("content")
    classes = _classes(files)
    left_out = read_patterns([p for c in (*classes, *ALWAYS) for p in LEAVE_OUT_CLASSES[c][1]])
    # The document itself does not ship, though it lies in the folder.
    kept = [s for s in files if not left_out.match_file(s.path) and s.path != "rampa.toml"]
    tops = sorted({s.path.split("/")[0] + "/" for s in kept if "/" in s.path})
    single = [s.path for s in kept if "/" not in s.path and _ships(s, found)]
    why = "Folders that hold files for players" + (", and single files beside them." if single else ".")
    out.say("include", [*tops, *single] or ["*"], why)
    if classes:
        counted = ", ".join(
            f"{name} ({count} {'file' if count == 1 else 'files'}, such as {example})"
            for name, (count, example) in classes.items()
        )
        out.say("leave_out_classes", list(classes), f"Here, and not for players: {counted}.")
    languages = find_languages(kept)
    if languages:
        _say_languages(out, languages)
    large = [s for s in kept if s.size >= LARGE]
    if large:
        names = ", ".join(f"{s.path} ({s.size / 1e6:.0f} MB)" for s in sorted(large, key=lambda s: -s.size)[:SHOWN])
        out.lines.append(f"# Large packs: {printable(names)}. Only what changes inside them travels in an update.")


def _ships(seen: Seen, found: list[Program]) -> bool:
    lower = seen.path.lower()
    known = any(p.path == seen.path for p in found)
    return (
        known
        or lower.endswith((".dll", ".so", ".dylib", ".pak", ".dat"))
        or lower.startswith(("licen", "credits", "notice"))
    )


def _classes(files: list[Seen]) -> dict[str, tuple[int, str]]:
    out = {}
    for name, (_, patterns) in LEAVE_OUT_CLASSES.items():
        if name not in ALWAYS:
            spec = read_patterns(patterns)
            hits = [s.path for s in files if spec.match_file(s.path)]
            if hits:
                out[name] = (len(hits), hits[0])
    return out


def _say_languages(out: _Writing, languages: Languages) -> None:
    out.say("languages", languages.tags, f"Files named by language: {languages.example}.")
    out.say("language_files", languages.pattern, "Where they are.")


def _pictures(out: _Writing, files: list[Seen]) -> None:
    icon, opening = pictures(files)
    if icon or opening:
        out.table("pictures")
    if icon:
        out.say("icon", icon.path, f"A square picture of {icon.width} px.")
    if opening:
        out.say("opening", opening.path, f"A wide picture of {opening.width} x {opening.height} px.")


def _profiles(out: _Writing, name: str, found: list[Program]) -> None:
    best = _best(name, found)
    for platform in best or ("linux",):
        program = best.get(platform)
        out.table(f"profiles.{platform}-release")
        out.say("platform", platform, program.why if program else "No executable was found: correct this.")
        out.say("purpose", "release", "Without debug helpers; symbols stay out.")
        built = sorted({p.architecture for p in found if p.platform == platform and p.architecture})
        why = "Read from the executables' headers." if built else "A script says nothing of it: correct this."
        out.say("code.architectures", built or ["x86_64"], why)
        entry = program.path if program else "bin/title"
        others = len([p for p in found if p.platform == platform]) - 1
        more = (
            f"The likeliest of {others + 1} that can be started." if others > 0 else "The only one that can be started."
        )
        out.say("launch.entry", entry, more if program else "Nothing was found that can be started: correct this.")


def _best(name: str, found: list[Program]) -> dict[str, Program]:
    """The likeliest program of each platform: named like the title, not a tool, high in the tree."""
    wanted = re.sub(r"\W", "", name.lower())

    def rank(program: Program) -> tuple[bool, bool, int, str]:
        file = program.path.rpartition("/")[2].lower()
        stem = re.sub(r"\W", "", file.rpartition(".")[0] or file)
        strange = wanted not in stem and stem not in wanted
        return strange, program.architecture == "", program.path.count("/"), program.path

    out: dict[str, Program] = {}
    for program in sorted((p for p in found if not p.library), key=rank):
        out.setdefault(program.platform, program)
    return dict(sorted(out.items()))


def _depots(out: _Writing, files: list[Seen]) -> None:
    addons = sorted(
        {
            tuple(s.path.split("/")[:2])
            for s in files
            if s.path.count("/") >= 2 and s.path.split("/")[0].lower() in ADDON_FOLDERS
        }
    )
    out.table("depots.base")
    if addons:
        tops = sorted({f"{top}/" for top, _ in addons})
        out.say("not", tops, "Addons go to depots of their own: only those who have them download them.")
    else:
        out.lines.append("# Everything, for everybody.")
    taken = {"base"}
    for top, addon in addons:
        slug = re.sub(r"[^a-z0-9]+", "-", addon.lower()).strip("-")[:40] or "addon"
        # Two folders that differ only in their signs would become one table, which is not TOML: the first stands.
        if slug in taken:
            continue
        taken.add(slug)
        out.table(f"depots.{slug}")
        out.say("only", [f"{top}/{addon}/"], f"The folder {top}/{addon} is an addon by its place.")
        out.say("addon", re.sub(r"[-_]+", " ", addon).title()[:100], "Its folder's name.")
