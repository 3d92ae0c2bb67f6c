"""rampa bundle …: on files, without a service."""

from __future__ import annotations

from pathlib import Path

import typer

from rampa.cli.base.common import JSON
from rampa.cli.base.files import read_file
from rampa.cli.base.output import BLOCKED, err, mb, out, print_json
from rampa.cli.base.passwords import PASSWORD_ENV, PASSWORD_FD, ask_password
from rampa.cli.bundles import tables as shown
from rampa.core.errors import Conflict, Invalid
from rampa.schema.bundles import bundles as wire

app = typer.Typer(rich_markup_mode=None, no_args_is_help=True, help="Bundles on this machine; no service is needed.")
FILE = typer.Argument(..., metavar="FILE", help="A bundle: APK, AAB, IPA, JAR, ZIP or tar.zst.")
OUT = typer.Option(..., "--out", help="Where the new bundle goes; it is written beside and renamed.")
REPLACE = typer.Option(False, "--replace-signature", help="Take off a signature that is there already.")
OVERWRITE = typer.Option(False, "--overwrite", help="Replace a file that is there.")
BROKEN = 7


@app.command("inspect")
def inspect(
    file: Path = FILE,
    largest: int = typer.Option(10, "--largest", min=0, help="How many of the largest files are shown."),
    development: bool = typer.Option(False, "--development", help="Debugging is meant: no finding for it."),
    as_json: bool = JSON,
) -> None:
    """What a bundle says of itself, what takes its space, what it holds twice, what is probably not meant to ship."""
    from rampa.core.bundle.sources import FileBytes
    from rampa.core.check.bundle import check_bundle, inspect_bundle
    from rampa.core.check.package import ExpectedPackage
    from rampa.schema.bundles.of_core import inspected_out

    with FileBytes(file) as source:
        seen = inspect_bundle(source, largest)
        found = check_bundle(source, ExpectedPackage(release=not development))
        answer = inspected_out(str(file), source.size, seen, found)
    if as_json:
        print_json(answer)
    else:
        shown.inspected(answer)
    if any(f.severity == "blocker" for f in answer.findings):
        raise typer.Exit(BLOCKED)


@app.command("compare")
def compare(
    old: Path = typer.Argument(..., metavar="OLD", help="The earlier bundle."),
    new: Path = typer.Argument(..., metavar="NEW", help="The later bundle."),
    rows: int = typer.Option(20, "--rows", min=1, help="How many files are shown."),
    as_json: bool = JSON,
) -> None:
    """Two bundles: what grew and why."""
    from rampa.core.bundle.comparison import compare_bundles, listed
    from rampa.core.bundle.sources import FileBytes
    from rampa.schema.bundles.of_core import compared_out

    with FileBytes(old) as before, FileBytes(new) as after:
        answer = compared_out(compare_bundles(listed(before), listed(after)))
    if as_json:
        print_json(answer)
    else:
        shown.compared(answer, old.name, new.name, rows)


@app.command("verify")
def verify(
    file: Path = FILE,
    signature: Path = typer.Option(None, "--signature", help="A detached CMS signature; FILE.p7s when that is there."),
    as_json: bool = JSON,
) -> None:
    """Verify each scheme: what holds, who signed, what each platform level checks, why something fails. Works offline."""
    from rampa.core.bundle.sources import FileBytes
    from rampa.core.check.bundle import verify_bundle
    from rampa.schema.bundles.of_core import verified_out

    beside = signature or file.with_name(f"{file.name}.p7s")
    detached = read_file(beside) if signature or beside.is_file() else None
    with FileBytes(file) as source, shown.bars("verify", source.size, as_json) as progress:
        seen, sums = verify_bundle(source, detached, progress)
    answer = verified_out(str(file), seen, sums)
    if as_json:
        print_json(answer)
    else:
        shown.verified(answer)
    if not answer.holds:
        raise typer.Exit(BROKEN)


@app.command("stamp")
def stamp(
    file: Path = FILE,
    target: Path = OUT,
    name: str | None = typer.Option(None, "--version-name", help="What players read."),
    code: int | None = typer.Option(None, "--version-code", help="What the storefront orders by."),
    debuggable: bool | None = typer.Option(
        None, "--debuggable/--not-debuggable", help="Whether a debugger can attach."
    ),
    replace: bool = REPLACE,
    overwrite: bool = OVERWRITE,
    as_json: bool = JSON,
) -> None:
    """Write version name, version code or the debuggable flag into a copy, without touching the rest."""
    from rampa.core.bundle.sources import FileBytes
    from rampa.core.bundle.stamp import Stamp, stamp_bundle
    from rampa.schema.bundles.of_core import facts_out

    if name is None and code is None and debuggable is None:
        raise Invalid("stamp.nothing", "nothing is to be written", hint="Give --version-name or --version-code.")
    must_not_be_there(target, file, overwrite)
    with FileBytes(file) as source, shown.bars("copy", source.size, as_json) as progress:
        facts = stamp_bundle(source, target, Stamp(name, code, debuggable), replace=replace, progress=progress)
    answer = wire.BundleWritten(file=str(target), bytes=target.stat().st_size, facts=facts_out(facts))
    if as_json:
        print_json(answer)
        return
    shown.written(answer, "Stamped, and read back from the copy. Sign it before it goes anywhere.")


@app.command("sign")
def sign(
    file: Path = FILE,
    target: Path = OUT,
    keystore: Path = typer.Option(..., "--keystore", help="A PKCS#12 file, a Java keystore in that form too."),
    password_env: str = PASSWORD_ENV,
    password_fd: int = PASSWORD_FD,
    alias: str = typer.Option("", "--alias", help="Which key, where the keystore holds several."),
    schemes: str = typer.Option("", "--schemes", help="Such as v1,v2,v3; by default what the bundle needs."),
    padding: str = typer.Option("pkcs1", "--rsa-padding", help="pkcs1 or rsa-pss; for signing blocks."),
    succession: Path = typer.Option(
        None, "--succession", help="After a hand-over: the succession (rampa key succession)."
    ),
    oldest: str = typer.Option("", "--oldest-alias", help="After a hand-over: the key that v1 and v2 are signed with."),
    detached: bool = typer.Option(False, "--detached", help="Write a CMS signature to OUT; the bundle stays as it is."),
    replace: bool = REPLACE,
    overwrite: bool = OVERWRITE,
    as_json: bool = JSON,
) -> None:
    """Sign a copy. The password is asked for, or comes from a variable or a file descriptor; it is never an argument."""
    from rampa.cli.bundles import sign as bundle_signing

    must_not_be_there(target, file, overwrite)
    password = ask_password("Password of the keystore", env=password_env, fd=password_fd)
    asked = bundle_signing.Asked(file, target, keystore, password, alias, schemes, padding, succession, oldest, replace)
    answer = (bundle_signing.sign_detached if detached else bundle_signing.sign_inside)(asked, as_json)
    if as_json:
        print_json(answer)
        return
    shown.written(answer, "")


@app.command("split")
def split(
    file: Path = FILE,
    folder: Path = typer.Option(..., "--to", help="The folder that the packages go into."),
    replace: bool = REPLACE,
    as_json: bool = JSON,
) -> None:
    """Make one APK for each architecture, with a version code of its own. Sign each afterwards."""
    from rampa.core.bundle.sources import FileBytes
    from rampa.core.bundle.split import split_package

    with FileBytes(file) as source, shown.bars("copy", source.size, as_json) as progress:
        pieces = split_package(source, folder, replace=replace, progress=progress)
    answer = wire.BundleSplit(
        pieces=[
            wire.SplitPiece(architecture=p.architecture, file=str(p.file), version_code=p.version_code, bytes=p.size)
            for p in pieces
        ]
    )
    if as_json:
        print_json(answer)
        return
    shown.split(answer)


@app.command("self-test")
def self_test(
    file: Path = FILE,
    launch: str = typer.Option(..., "--launch", help="The launch entry, from the top folder: bin/peatlight."),
    seconds: float = typer.Option(60, "--seconds", min=1, help="How long it may take."),
    as_json: bool = JSON,
) -> None:
    """Unpack a desktop bundle into an empty folder and start its launch entry with --self-test."""
    from rampa.agent.self_test import self_test as run

    done = run(file, launch, seconds=seconds)
    answer = wire.SelfTestOut(ran=done.ran, passed=done.passed, why=done.why, said=done.said, seconds=done.seconds)
    if as_json:
        print_json(answer)
    else:
        out().print(done.said, end="", markup=False)
        how = "passed" if done.passed else f"failed: {done.why}" if done.ran else f"did not run: {done.why}"
        err().print(f"The self-test {how} ({done.seconds:.1f} s).")
    if done.ran and not done.passed:
        raise typer.Exit(BLOCKED)


@app.command("assemble")
def assemble(
    folder: Path = typer.Argument(..., help="An exported folder, with the files as they lie in the bundle."),
    target: Path = OUT,
    name: str = typer.Option(None, "--version-name", help="What players read."),
    code: int = typer.Option(None, "--version-code", help="What the storefront orders by."),
    overwrite: bool = OVERWRITE,
    as_json: bool = JSON,
) -> None:
    """Make an APK, AAB or IPA from an exported folder, aligned and unsigned; the manifest in the folder says which."""
    from rampa.core.bundle.assembly import assemble_package
    from rampa.core.bundle.stamp import Stamp
    from rampa.schema.bundles.of_core import facts_out

    must_not_be_there(target, folder, overwrite)
    facts = assemble_package(folder, target, Stamp(name, code))
    answer = wire.BundleWritten(file=str(target), bytes=target.stat().st_size, facts=facts_out(facts))
    if as_json:
        print_json(answer)
        return
    shown.written(answer, f"Assembled, {mb(answer.bytes)}. Sign it before it goes anywhere.")


@app.command("reproduce")
def reproduce(
    build: str = typer.Argument(..., metavar="BUILD", help="Such as peatlight#14; it was made by a run."),
    as_json: bool = JSON,
) -> None:
    """Build a build's commit again, on an agent, and compare the bundle's bytes before its signature. Needs the service."""
    from rampa.cli.base.common import signed_in, the_build
    from rampa.cli.runs.watch import watch_runs
    from rampa.schema.runs import NewRuns

    with signed_in() as client:
        title, number = the_build(client, build)
        run = client.runs.start(title, NewRuns(reproduces=number))[0]
        err().print(f"{run.name} makes {build} again and compares.")
        code = watch_runs(client, title, [run.number])
        done = client.runs.get(title, run.number)
    if as_json:
        print_json(done)
    else:
        out().print("The same bytes." if code == 0 else f"Not the same: rampa run show {run.number}")
    raise typer.Exit(code)


def must_not_be_there(target: Path, source: Path, overwrite: bool) -> None:
    if target.exists() and source.exists() and target.resolve() == source.resolve():
        raise Invalid("out.same", "the new bundle would replace the one that it is made of", where=str(target))
    if target.exists() and not overwrite:
        raise Conflict(
            "file.exists", "this file exists already", where=str(target), hint="Say --overwrite to replace it."
        )
