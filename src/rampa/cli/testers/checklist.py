"""rampa checklist …"""

from __future__ import annotations

from pathlib import Path

import typer

from rampa.cli.base.common import JSON, TITLE, signed_in, the_title
from rampa.cli.base.output import err, out, print_json, table
from rampa.core.errors import Invalid
from rampa.core.quantity import counted
from rampa.core.testers.checklist import FILE_NAME, Checklist, read_checklists

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Checklists: what testers look at, in a file of their own."
)
FILE = typer.Argument(Path(FILE_NAME), metavar="FILE", help="The file, beside the profile document.")


@app.command("check")
def check(file: Path = FILE) -> None:
    """Read a file of checklists on this machine, and say what is wrong with it. Needs no service."""
    _shown(list(read_checklists(_read(file))))


@app.command("set")
def set_(file: Path = FILE, title: str = TITLE, as_json: bool = JSON) -> None:
    """Send a title's checklists. Where a repository owns the profile document, they come from beside it by themselves."""
    text = _read(file)
    read = read_checklists(text)
    with signed_in() as client:
        slug = the_title(client, title)
        done = client.sign_offs.set_checklists(slug, text)
    if as_json:
        print_json(done)
        return
    out().print(f"{slug} has {counted(len(read), 'checklist')} now. What was ticked before stays.")


@app.command("show")
def show(title: str = TITLE, as_json: bool = JSON) -> None:
    """A title's checklists, as their file has them."""
    with signed_in() as client:
        found = client.sign_offs.checklists(the_title(client, title))
    if as_json:
        print_json(found)
        return
    if not found.number:
        err().print(f"There is none yet. Write {FILE_NAME}, then: rampa checklist set")
        return
    out().print(found.text, markup=False, highlight=False, soft_wrap=True)


def _read(file: Path) -> str:
    try:
        return file.read_text()
    except (OSError, UnicodeDecodeError) as error:
        raise Invalid("checklists.file", "the file cannot be read as UTF-8 text", where=str(file)) from error


def _shown(lists: list[Checklist]) -> None:
    rows = [
        (c.name, c.title, ", ".join(c.platforms) or "every one", ", ".join(c.purposes) or "every one", len(c.points))
        for c in lists
    ]
    table(["checklist", "~title", "platforms", "purposes", "#points"], rows, "The file has no checklist.")
