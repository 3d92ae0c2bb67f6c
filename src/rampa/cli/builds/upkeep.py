"""More of `rampa build`: comparing two, pinning, symbols, retention."""

from __future__ import annotations

from pathlib import Path

import typer
from rich.text import Text

from rampa.cli.base.common import JSON, TITLE, YES, confirmed, signed_in, the_build, the_title
from rampa.cli.base.output import ago, duration, err, facts, mb, out, print_json, table
from rampa.cli.profiles.tables import differing
from rampa.core.errors import Invalid
from rampa.core.quantity import counted
from rampa.schema.builds.changes import SizePair

SPOKEN = typer.Argument(..., metavar="BUILD", help="Such as peatlight#14, or 14.")
SHOWN = 30


def add_to(app: typer.Typer) -> None:
    """Puts these commands beside the others of the group."""
    app.command("compare")(compare)
    app.command("pin")(pin)
    app.command("unpin")(unpin)
    app.command("symbols")(symbols)
    app.command("find-symbols")(find_symbols)
    app.command("provenance")(provenance)
    app.command("re-sign")(re_sign)
    app.command("retention")(retention)


def find_symbols(
    ident: str = typer.Argument(
        ..., metavar="BUILD-ID", help="Of a native binary, hexadecimal, as a crash report says it."
    ),
    as_json: bool = JSON,
) -> None:
    """Which builds keep the symbols of a native binary. Fetch them with `rampa build symbols`."""
    with signed_in() as client:
        found = client.builds.find_symbols(ident.lower().removeprefix("0x"))
    if as_json:
        print_json(found)
        return
    rows = [(s.build, s.path, mb(s.size)) for s in found.items]
    table(["build", "~file", ">size"], rows, f"No build keeps symbols for {ident}.")


def provenance(
    build: str = SPOKEN,
    to: Path = typer.Option(None, "--out", help="Write the signed envelope there (DSSE)."),
    as_json: bool = JSON,
) -> None:
    """How a build's bundle was made, verified with the title's key: source, commit, profile, agent, steps, digests."""
    from rampa.core.signing import provenance as format_

    with signed_in() as client:
        title, number = the_build(client, build)
        envelope = client.builds.provenance(title, number)
        statement = format_.verify(envelope, bytes.fromhex(client.titles.get(title).manifest_key))
    if to:
        to.write_bytes(envelope)
    if as_json:
        print_json(statement)
        return
    made = statement["predicate"]["buildDefinition"]
    run = statement["predicate"]["runDetails"]
    rows: list[tuple[str, object]] = [(s["name"], f"SHA-256 {s['digest']['sha256']}") for s in statement["subject"]]
    rows += [(name.replace("_", " "), value) for name, value in made["externalParameters"].items()]
    for source in made["resolvedDependencies"]:
        digest = " ".join(f"{k} {v}" for k, v in source.get("digest", {}).items())
        rows.append(("from", f"{source['uri']} {digest}"))
    rows += [("by", run["builder"]["id"]), ("steps", ", ".join(made["internalParameters"]["steps"]) or "by hand")]
    rows.append(("when", f"{run['metadata']['startedOn']} to {run['metadata']['finishedOn']}"))
    facts(rows)
    err().print("The title's signature over this holds.")


def re_sign(
    build: str = SPOKEN,
    grant: int = typer.Option(0, "--grant", help="This grant; the newest that fits without it."),
    as_json: bool = JSON,
) -> None:
    """Sign a restricted build again, with a newer grant; nothing is rebuilt."""
    with signed_in() as client:
        title, number = the_build(client, build)
        done = client.signing.re_sign(title, number, grant)
    if as_json:
        print_json(done)
        return
    out().print(f"{title}#{number} has grant {done.grant} now: it runs on {', '.join(done.devices)}.")


def compare(
    left: str = SPOKEN,
    right: str = SPOKEN,
    files: int = typer.Option(SHOWN, "--files", help="Files shown."),
    as_json: bool = JSON,
) -> None:
    """Two builds: settings, commits between, files, sizes, durations, findings."""
    with signed_in() as client:
        title, old = the_build(client, left)
        other, new = the_build(client, right)
        if other != title:
            raise Invalid("build.titles", "the two are of different titles")
        c = client.builds.compare(title, old, new)
    if as_json:
        print_json(c)
        return
    out().print(Text(f"{c.left.name} {c.left.version_name} -> {c.right.name} {c.right.version_name}", style="bold"))
    native = {True: "the same", False: "changed", None: "not known"}[c.same_native]
    change = mb(c.right.size - c.left.size, signed=True)
    out().print(f"{mb(c.left.size)} -> {mb(c.right.size)} ({change}); native part: {native}\n")
    differing(c.settings)
    out().print()
    if c.commits_said:
        out().print(c.commits_said)
    rows = [("+", k.commit[:10], k.subject, k.author, ago(k.at)) for k in c.commits]
    rows += [("-", k.commit[:10], k.subject, k.author, ago(k.at)) for k in c.commits_back]
    if rows:
        table(["", "commit", "~message", "author", "when"], rows)
    out().print(
        f"\nFiles: {c.added:,} added, {c.removed:,} removed, {c.changed:,} changed, {c.moved:,} moved, {c.unchanged:,} the same."
    )
    shown = [
        (f.kind, f.path, mb(f.old_size), mb(f.new_size), mb(f.new_size - f.old_size, signed=True))
        for f in c.files[:files]
    ]
    if shown:
        table(["", "~path", ">before", ">after", ">change"], shown)
    if len(c.files) > files:
        err().print(f"{len(c.files) - files:,} more: --files {len(c.files)}")
    out().print()
    table(["folder", ">before", ">after", ">change"], [_folder(p) for p in c.folders], "There are no files to compare.")
    if c.durations:
        out().print()
        rows_ = [(d.name, _seconds(d.before), _seconds(d.after)) for d in c.durations]
        table(["step", ">before", ">after"], rows_)
    changed = [t for t in c.tools if t.before != t.after]
    for t in changed:
        out().print(f"{t.name}: {t.before or '-'} -> {t.after or '-'}")


def _folder(p: SizePair) -> tuple[str, str, str, str]:
    before, after = int(p.before or 0), int(p.after or 0)
    return p.name, mb(before), mb(after), mb(after - before, signed=True)


def _seconds(value: float | None) -> str:
    return "-" if value is None else duration(value)


def pin(spoken: str = SPOKEN, as_json: bool = JSON) -> None:
    """Keep a build whatever retention says."""
    _pin(spoken, True, as_json)


def unpin(spoken: str = SPOKEN, as_json: bool = JSON) -> None:
    """Let retention decide again."""
    _pin(spoken, False, as_json)


def _pin(spoken: str, pinned: bool, as_json: bool) -> None:
    with signed_in() as client:
        build = client.builds.pin(*the_build(client, spoken), pinned=pinned)
    if as_json:
        print_json(build)
        return
    out().print(f"{build.name} is {'pinned' if pinned else 'not pinned any more'}.")


def symbols(
    spoken: str = SPOKEN,
    to: Path = typer.Option(Path(), "--to", help="The folder that they go into."),
    as_json: bool = JSON,
) -> None:
    """Fetch the symbols that are kept with a build."""
    from rampa.client.builds.symbols import bring_symbols

    with signed_in() as client:
        title, number = the_build(client, spoken)
        build = client.builds.get(title, number)
        if not build.symbols_files:
            raise Invalid(
                "symbols.none", f"{build.name} has no symbols", hint="A run keeps what the class symbols leaves out."
            )
        bring_symbols(client, title, number, to)
    if as_json:
        print_json({"files": build.symbols_files, "size": build.symbols_size, "to": str(to)})
        return
    out().print(f"{counted(build.symbols_files, 'file')}, {mb(build.symbols_size)}, in {to.resolve()}.")


def retention(
    newest: int = typer.Option(
        -1, "--keep-newest", help="Set: so many newest builds of each profile stay.", show_default=False
    ),
    days: int = typer.Option(-1, "--keep-days", help="Set: builds younger than that stay.", show_default=False),
    apply: bool = typer.Option(False, "--apply", help="Remove what is shown."),
    yes: bool = YES,
    title: str = TITLE,
    as_json: bool = JSON,
) -> None:
    """Which old builds the title's policy would remove; placed and pinned ones always stay. Nothing goes without --apply."""
    from rampa.schema.builds.changes import RetentionPolicy

    with signed_in() as client:
        slug = the_title(client, title)
        found = client.builds.retention(slug)
        if newest >= 0 or days >= 0:
            before = found.policy
            policy = RetentionPolicy(
                keep_newest=newest if newest >= 0 else before.keep_newest,
                keep_days=days if days >= 0 else before.keep_days,
            )
            found = client.builds.set_retention(slug, policy)
        removed = False
        if not as_json:
            p = found.policy
            out().print(
                f"The {p.keep_newest} newest of each profile stay, and what is younger than {counted(p.keep_days, 'day')}."
                if p.keep_newest or p.keep_days
                else "There is no policy: nothing ever goes. Set one with --keep-newest and --keep-days."
            )
            table(
                ["goes", "profile", "version", ">size", "made", "~notes"],
                [(b.name, b.profile, b.version_name, mb(b.size), ago(b.created_at), b.notes) for b in found.removes],
                "No build goes.",
            )
            for kept in found.keeps:
                out().print(f"{slug}#{kept.number} stays: {kept.why}.", style="dim")
        if apply and found.removes:
            question = f"Remove {counted(len(found.removes), 'build')}, which frees {mb(found.frees)}?"
            if not confirmed(question, yes):
                raise typer.Exit(1)
            found = client.builds.apply_retention(slug, [b.number for b in found.removes])
            removed = True
    if as_json:
        print_json(found)
    elif removed:
        out().print(f"Removed {counted(len(found.removes), 'build')}; their records stay.")
