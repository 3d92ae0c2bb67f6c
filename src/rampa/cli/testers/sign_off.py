"""rampa sign-off …"""

from __future__ import annotations

import typer

from rampa.cli.base.common import JSON, TITLE, signed_in, the_build, the_title
from rampa.cli.base.output import ago, err, out, print_json, table
from rampa.schema.sign_offs import BuildSignOffs

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Play sign-offs: who played a build, and what failed."
)


@app.callback()
def _group() -> None:
    """One command alone would stand for its noun."""


@app.command("list")
def list_(
    spoken: str = typer.Argument("", metavar="BUILD", help="The build, as in peatlight#14."),
    release: int = typer.Option(0, "--release", help="Of every build of this release, in place of one build."),
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Who played a build or a release, on what, and which points failed."""
    with signed_in() as client:
        if release:
            found = client.sign_offs.of_release(the_title(client, title), release).items
        else:
            found = [client.sign_offs.of_build(*the_build(client, spoken, title))]
    if as_json:
        print_json(found)
        return
    for one in found:
        _shown(one)


def _shown(of: BuildSignOffs) -> None:
    wanted = ", ".join(of.wanted) or "no checklist is for it"
    err().print(f"{of.build.name} ({of.build.profile}): {wanted}.")
    rows = [
        (
            s.person,
            s.checklist,
            s.state,
            f"{s.passed} of {s.points}",
            "; ".join(f"{f.point}: {f.note}" for f in s.failed) or "nothing",
            s.device,
            ago(s.finished_at or s.changed_at),
        )
        for s in of.items
    ]
    table(["who", "checklist", "state", "passed", "~failed", "on", "when"], rows, "Nobody has played it yet.")
    if of.signed:
        out().print(f"Signed off by {', '.join(of.signed)}.")
