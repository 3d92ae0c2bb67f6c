"""rampa picture …"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import typer

from rampa.cli.base.common import YES, confirmed
from rampa.cli.base.output import findings, mb, out, table
from rampa.core.check.findings import Finding
from rampa.core.errors import Invalid, NotFound, Refused
from rampa.core.files import disk_error, replace_file
from rampa.core.quantity import counted

if TYPE_CHECKING:
    from rampa.core.picture.remark import Remark
    from rampa.core.picture.sets import MadePicture
    from rampa.core.picture.source import SourcePicture

app = typer.Typer(
    rich_markup_mode=None,
    no_args_is_help=True,
    help="Picture sets: every icon and opening picture from one large picture.",
)


@app.callback()
def group() -> None:
    """One command so far: without this it would stand without its word."""


@app.command("make")
def make(
    picture: Path = typer.Argument(..., help="The source: 1024 px or more; square for icons."),
    to: Path = typer.Option(..., "--to", help="A folder; each platform gets one of its own in it."),
    platform: list[str] = typer.Option([], "--platform", help="Only these platforms; all without it."),
    opening: bool = typer.Option(False, "--opening", help="Opening pictures instead of icons."),
    background: str = typer.Option("#000000", "--background", help="Behind it where no transparency is allowed."),
    anyway: bool = typer.Option(False, "--anyway", help="Also where the source is too small, and comes out blurred."),
    yes: bool = YES,
) -> None:
    """Make the picture set of every platform. No service is needed."""
    import re

    from rampa.core.picture.source import read_source
    from rampa.core.platform.table import PLATFORMS

    unknown = [name for name in platform if name not in PLATFORMS]
    if unknown:
        hint = f"There is: {', '.join(PLATFORMS)}."
        raise Invalid("platform.unknown", f"there is no platform {unknown[0]!r}", hint=hint)
    if not re.fullmatch(r"#[0-9a-fA-F]{6}", background):
        raise Invalid("colour.invalid", f"{background!r} is no colour", hint="Write it as in #1f1b18.")
    source = read_source(_bytes(picture), str(picture))
    made = {name: _set(source, name, opening, background) for name in platform or PLATFORMS}
    _show(source, made)
    blocked = [name for name, (_, remarks) in made.items() if any(r.severity == "blocker" for r in remarks)]
    if blocked and not anyway:
        hint = "Draw it larger, choose --platform, or take blurred pictures with --anyway."
        raise Refused(
            "picture.too-small", f"the source is too small for {', '.join(blocked)}", where=str(picture), hint=hint
        )
    present = [p for name, (files, _) in made.items() for f in files if (p := to / name / f.name).exists()]
    if present and not confirmed(f"This replaces {counted(len(present), 'file')} in {to}. Go on?", yes):
        raise typer.Exit(1)
    _write(to, made)
    out().print(f"Written to {to}.")


def _bytes(picture: Path) -> bytes:
    from rampa.core.picture.source import MAX_BYTES

    try:
        with picture.open("rb") as opened:
            return opened.read(MAX_BYTES + 1)
    except OSError as error:
        raise NotFound("picture.missing", f"there is no picture here ({error.strerror})", where=str(picture)) from error


def _set(
    source: SourcePicture, platform: str, opening: bool, background: str
) -> tuple[list[MadePicture], list[Remark]]:
    from rampa.core.picture.sets import icon_remarks, icon_set, opening_picture, opening_remarks
    from rampa.core.platform.table import PLATFORMS

    facts = PLATFORMS[platform]
    if opening:
        return [opening_picture(source, facts, background)], opening_remarks(source, facts)
    return icon_set(source, facts, background), icon_remarks(source, facts)


def _show(source: SourcePicture, made: dict[str, tuple[list[MadePicture], list[Remark]]]) -> None:
    out().print(
        f"Source: {source.width} x {source.height} px, {source.form}{', transparent' if source.transparent else ''}."
    )
    rows = [
        (
            name,
            f.name,
            f.form,
            f"{f.width} x {f.height}",
            f"{f.depth} bit",
            ", ".join(map(str, f.sizes)),
            mb(len(f.data)),
        )
        for name, (files, _) in made.items()
        for f in files
    ]
    table(["platform", "file", "format", ">pixels", ">depth", "~sizes in it", ">size"], rows)
    said = dict.fromkeys(r for _, remarks in made.values() for r in remarks)
    findings([Finding(severity=r.severity, code=r.code, message=r.message, where="", hint=r.hint) for r in said])


def _write(to: Path, made: dict[str, tuple[list[MadePicture], list[Remark]]]) -> None:
    try:
        for name, (files, _) in made.items():
            for file in files:
                replace_file(to / name / file.name, file.data)
    except OSError as error:
        raise disk_error(error, to) from error
