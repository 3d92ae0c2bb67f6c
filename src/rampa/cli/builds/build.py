"""rampa build …"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import typer
from rich.text import Text

from rampa.cli.base import home
from rampa.cli.base.common import JSON, LIMIT, TITLE, YES, confirmed, first_rows, signed_in, the_build, the_title
from rampa.cli.base.output import ago, duration, err, facts, findings, larger_downloads, mb, out, print_json, table
from rampa.cli.base.progress import Bars
from rampa.cli.builds.upkeep import add_to
from rampa.core.build.life import BuildState
from rampa.core.content.tree.paths import check_path
from rampa.core.quantity import counted
from rampa.schema.builds.builds import Build

if TYPE_CHECKING:
    from rampa.client.builds.maker import BuildProgress, MadeBuild

app = typer.Typer(
    rich_markup_mode=None, no_args_is_help=True, help="Builds: make one from a folder, look at it, fetch its bundle."
)
WORDS = {
    "read": "reading the folder",
    "upload": "uploading content",
    "write": "writing the bundle",
    "bundle": "uploading the bundle",
}
SPOKEN = typer.Argument(..., metavar="BUILD", help="The build, as in peatlight#14.")


add_to(app)


@app.command("create")
def create(
    profile: str = typer.Option(..., "--profile", help="A profile of the title's document."),
    folder: Path = typer.Option(..., "--from", help="The folder that holds the title's files."),
    title: str = TITLE,
    version_name: str = typer.Option("", "--version-name", help="Instead of the document's [version] name."),
    notes: str = typer.Option("", "--notes", help="What testers should know."),
    bundle_to: Path = typer.Option(
        None, "--bundle-to", help="Leave the bundle here, not in the document's output folder."
    ),
    as_json: bool = JSON,
) -> None:
    """Make a build: select, reserve a version code, bundle, sign, split into depots, send what is missing.

    Killed or cut off, the same command goes on with the same build.
    """
    from rampa.client.builds.maker import make_build  # reading and packing: only this command pays for loading them

    with signed_in() as client, Bars(WORDS, quiet=as_json) as bars:

        def on(step: BuildProgress) -> None:
            if step.phase == "sign":
                if step.done == 0 and not as_json:
                    err().print("The service checks everything and signs …", style="dim")
            else:
                note = f"{mb(step.present)} already there" if step.present else ""
                bars.show(step.phase, step.done, step.total, note)

        made = make_build(
            client,
            the_title(client, title),
            profile,
            folder,
            version_name=version_name or None,
            notes=notes,
            state=home.folder(),
            keep_bundle=bundle_to,
            on=on,
        )
    if as_json:
        print_json(made.build)
        return
    _made(made)


@app.command("list")
def list_(
    title: str = TITLE,
    profile: str = typer.Option("", "--profile", help="Of one profile only."),
    platform: str = typer.Option("", "--platform", help="For one platform only."),
    state: str = typer.Option("", "--state", help="open, ready or abandoned."),
    search: str = typer.Option("", "--search", help="In notes and version names."),
    sort: str = typer.Option("number", "--sort", help="number or size."),
    limit: int = LIMIT,
    as_json: bool = JSON,
) -> None:
    """Builds, newest first."""
    with signed_in() as client:
        rows = first_rows(
            client.builds.all,
            the_title(client, title),
            limit=limit,
            profile=profile,
            platform=platform,
            state=state,
            search=search,
            sort=sort,
        )
    if as_json:
        print_json(rows)
        return
    table(
        ["build", "profile", "version", ">code", "state", "~live on", ">size", ">packed", "made", "~by"],
        [
            (
                b.name,
                b.profile,
                b.version_name,
                b.version_code,
                b.state if b.signed or b.state != BuildState.READY else "ready, unsigned",
                ", ".join(b.live_on),
                mb(b.size),
                mb(b.packed),
                ago(b.created_at),
                b.created_by,
            )
            for b in rows
        ],
        "No build matches. Make one: rampa build create --profile PROFILE --from FOLDER",
    )
    if any(b.packed > b.size for b in rows):
        out().print("packed: whole frames, also where a build needs only a part of what lies in them.", style="dim")


@app.command("show")
def show(spoken: str = SPOKEN, as_json: bool = JSON) -> None:
    """One build: version, depots, bundle, what was left out."""
    with signed_in() as client:
        build = client.builds.get(*the_build(client, spoken))
    if as_json:
        print_json(build)
        return
    _build(build)


@app.command("files")
def files(
    spoken: str = SPOKEN,
    left_out: bool = typer.Option(False, "--left-out", help="What stayed out instead, and why."),
    as_json: bool = JSON,
) -> None:
    """The files of a build, or what was left out of it."""
    with signed_in() as client:
        title, number = the_build(client, spoken)
        if left_out:
            missing = client.builds.left_out(title, number)
            if as_json:
                print_json(missing)
                return
            rows = [(o.path, mb(o.size), o.why, o.origin) for o in missing]
            table(["~path", ">size", "~why", "rule"], rows, "Nothing was left out.")
            return
        found = client.builds.files(title, number)
    if as_json:
        print_json(found)
        return
    table(
        ["~path", ">size", "depot", "BLAKE3"],
        [(f.path + (f" -> {f.link}" if f.link else ""), mb(f.size), f.depot, f.digest[:12]) for f in found],
    )


@app.command("bundle")
def bundle(
    spoken: str = SPOKEN,
    to: Path = typer.Option(Path(), "--to", help="The folder that they go into."),
    as_json: bool = JSON,
) -> None:
    """Fetch a build's bundle and its detached signature."""
    with signed_in() as client:
        title, number = the_build(client, spoken)
        build = client.builds.get(title, number)
        # The name comes over the wire and becomes a path here: one plain name, or nothing is written.
        name = check_path((build.bundle.name if build.bundle else f"{build.bundle_name}.zip").replace("/", "\\"))
        to.mkdir(parents=True, exist_ok=True)
        client.builds.save_bundle(title, number, to / name)
        written = [to / name]
        beside = build.bundle is not None and build.bundle.beside
        if beside:
            (to / f"{name}.p7s").write_bytes(client.builds.signature(title, number))
            written.append(to / f"{name}.p7s")
    if as_json:
        print_json({"files": [str(p) for p in written], "sha256": build.bundle.sha256 if build.bundle else ""})
        return
    for path in written:
        out().print(str(path))
    err().print(f"Verify: rampa bundle verify {written[0]}" if build.signed else "It is not signed.")
    if beside:
        err().print(
            f"Or: openssl cms -verify -binary -inform DER -noverify -in {name}.p7s -content {name} -out /dev/null"
        )


@app.command("note")
def note(spoken: str = SPOKEN, text: str = typer.Argument(..., help="The new notes."), as_json: bool = JSON) -> None:
    """Replace a build's notes."""
    with signed_in() as client:
        build = client.builds.change_notes(*the_build(client, spoken), notes=text)
    if as_json:
        print_json(build)
        return
    out().print(f"{build.name}: {build.notes}")


@app.command("abandon")
def abandon(spoken: str = SPOKEN, yes: bool = YES, as_json: bool = JSON) -> None:
    """Give up a build whose upload is not complete. Its version code is burned."""
    with signed_in() as client:
        title, number = the_build(client, spoken)
        build = client.builds.get(title, number)
        err().print(
            f"{build.name}, version code {build.version_code}, is {build.state}; the code will not be given again."
        )
        if not confirmed("Abandon it?", yes):
            raise typer.Exit(1)
        build = client.builds.abandon(title, number)
    if as_json:
        print_json(build)
        return
    out().print(f"{build.name} is abandoned; version code {build.version_code} is burned.")


def _made(made: MadeBuild) -> None:
    if made.resumed:
        err().print(f"Went on with {made.build.name}, which an earlier command had opened.")
    _build(made.build)
    was = made.content.present + made.bundle.present
    sent = f"{mb(made.content.uploaded)} of content and {mb(made.bundle.uploaded)} of bundle"
    out().print(f"Sent {sent}; {mb(was)} was there already; {duration(made.seconds)} in all.")
    left_out = made.selection.left_out
    if left_out:
        out().print(f"\nLeft out: {counted(len(left_out), 'file')}, {mb(sum(o.size for o in left_out))}")
        by_rule: dict[tuple[str, str], list[int]] = {}
        for o in left_out:
            by_rule.setdefault((o.why, o.origin), []).append(o.size)
        rows = [(why, origin, len(sizes), mb(sum(sizes))) for (why, origin), sizes in sorted(by_rule.items())]
        table(["~why", "rule", ">files", ">size"], rows)
    if made.kept:
        out().print(f"The bundle is in {made.kept}.")
    out().print(f"Next: rampa channel place {made.build.name} --on studio")


def _build(build: Build) -> None:
    bundle = build.bundle
    ratio = f"{build.packed / build.size:.2f}" if build.size else "-"
    rows: list[tuple[str, object]] = [
        ("build", Text(build.name, style="bold")),
        ("version", f"{build.version_name}, code {build.version_code}"),
        ("profile", f"{build.profile} (revision {build.revision}), for {build.platform}, {build.purpose}"),
        ("state", build.state + (f"; live on {', '.join(build.live_on)}" if build.live_on else "")),
        ("files", f"{build.files:,}, {mb(build.size)} before packing, {mb(build.packed)} after, ratio {ratio}"),
    ]
    if build.content_of:
        rows.append(("again", f"the files of {build.title}#{build.content_of} under a new version code, to roll back"))
    if bundle:
        signed = f"signed by {bundle.identity} (SHA-256 {bundle.fingerprint[:16]}…)" if build.signed else "not signed"
        rows += [("bundle", f"{bundle.name}, {mb(bundle.size)}"), ("signature", signed)]
        said = bundle.says.facts if bundle.says else None
        if said and said.identifier:
            rows.append(("read back", f"{said.identifier} {said.version_name}, code {said.version_code}"))
            rows.append(
                ("for", f"{', '.join(said.architectures) or 'any architecture'}; level {said.minimum} or above")
            )
        if bundle.says:
            rows += [("", note) for note in bundle.says.notes]
    if build.grant:
        rows.append(("grant", f"{build.grant} (rampa grant show {build.name})"))
    if build.symbols_files:
        rows.append(("symbols", f"{counted(build.symbols_files, 'file')}, {mb(build.symbols_size)}, kept apart"))
    if build.left_out_files:
        rows.append(("left out", f"{counted(build.left_out_files, 'file')}, {mb(build.left_out_size)}"))
    rows.append(("made", f"{ago(build.created_at)} by {build.created_by}"))
    if build.notes:
        rows.append(("notes", build.notes))
    facts(rows)
    out().print()
    table(
        ["depot", ">files", ">size", ">download", "manifest"],
        [(d.name, f"{d.files:,}", mb(d.size), mb(d.packed), d.manifest[:12]) for d in build.depots],
        "Its content has not arrived yet.",
    )
    larger_downloads(build.depots)
    findings(build.findings)
