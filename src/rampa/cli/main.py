"""The command line's entry: groups are loaded when they are used, errors become a sentence and an exit code.

Exit codes: 0 done; 1 an error that none of the others names; 2 the command's words are wrong; 3 not signed in or not allowed;
4 not found; 5 a conflict; 6 a rule refused, or a check found a blocker; 7 damaged or forged; 8 not available now;
9 a check found warnings, and no blocker; 10 a watched run failed; 11 a watched run was cancelled or superseded; 130 interrupted.
"""

from __future__ import annotations

import importlib
import os
import sys
from typing import Any

import typer
from typer.core import TyperCommand, TyperGroup

from rampa.core import errors

# httpx brings a command line of its own when rich is installed; not loading it starts ours 0.15 s sooner.
sys.modules.setdefault("httpx._main", None)  # type: ignore[arg-type]

EXIT_CODES: dict[type[errors.RampaError], int] = {
    errors.Invalid: 1,
    errors.Denied: 3,
    errors.NotFound: 4,
    errors.Conflict: 5,
    errors.Refused: 6,
    errors.Damaged: 7,
    errors.Unavailable: 8,
}
GROUPS: dict[str, tuple[str, str]] = {
    "board": ("board", "The board: what is live where, now or at any moment before."),
    "title": ("titles", "Titles and their profile documents."),
    "profile": (
        "profiles.profile",
        "Profiles: resolve, compare, check, fix, lay side by side; propose a first document.",
    ),
    "picture": ("profiles.picture", "Picture sets: every icon and opening picture from one large picture."),
    "key": ("signing.key", "Signing identities: make, import, unlock, back up, hand over."),
    "version": ("versions", "Version names and codes: next, history, mark-taken, bump."),
    "grant": ("signing.grant", "Grants: which devices a restricted build may run on."),
    "source": ("sources", "Sources: a title's repository, or uploaded folders."),
    "variables": ("variables", "Step variables: variables and secrets that steps get."),
    "run": ("runs.run", "Runs: from a commit to a build; plan, start, watch, cancel; find a commit."),
    "trigger": ("runs.trigger", "Triggers: what starts runs by itself."),
    "agent": ("agents", "Agents: the machines that execute runs."),
    "build": ("builds.build", "Builds: make one from a folder, look at it, fetch its bundle."),
    "content": ("content.content", "Content: what goes in and what stays out of a folder, and how it is packed best."),
    "depot": ("content.depot", "Depots: what each device gets; a proposal of depots."),
    "update": ("updates", "Updates: what they cost, by build and by depot; their differences."),
    "player-pack": ("player_packs", "Packs for players: made, stopped, and what they save those who install anew."),
    "store": ("store", "The content store: usage, check, collect, repack."),
    "bundle": (
        "bundles.bundle",
        "Bundles on this machine: inspect, compare, verify, stamp, sign, split; no service needed.",
    ),
    "channel": ("channels.channel", "Channels: place a build, see what is live."),
    "release": ("channels.release", "Releases: builds of one version over platforms, placed as one."),
    "rollout": ("channels.rollout", "Rollouts: grow a placement, hold it, go on, roll back."),
    "health": ("health", "Health: what devices report, beside the build before; crashes."),
    "listing": ("listings.listing", "Listings: what a title says of itself on storefronts; check, import, export."),
    "rating": ("listings.rating", "The age rating: a questionnaire, what storefronts make of it, who affirmed it."),
    "storefront": ("storefronts", "Storefronts: the studio's accounts there; connect, look, take away."),
    "review": ("reviews", "The studio's own review desk: what waits, claim it, ask, refuse, pass."),
    "submission": ("submissions.submission", "Submissions: builds before storefronts; plan, send, follow, answer."),
    "rule": ("submissions.rule", "Rules: checks of the studio's own, made of what storefronts found."),
    "tester": ("testers.tester", "Testers: invite them, see who has what, take one out."),
    "group": ("testers.group", "Groups of testers: seats, members, channels."),
    "invitation": ("testers.invitation", "Invitations to test: who answered, send again, withdraw."),
    "checklist": ("testers.checklist", "Checklists: what testers look at, in a file of their own."),
    "sign-off": ("testers.sign_off", "Play sign-offs: who played a build, and what failed."),
    "feedback": ("testers.feedback", "Feedback: what testers say, answered and closed."),
    "device": ("devices.device", "Simulated devices: install, update, verify, repair, start."),
    "fleet": ("fleet", "A fleet of simulated devices: they ask, play and report."),
    "delivery": ("delivery.delivery", "Delivery: a title's files written elsewhere; origins."),
    "trust": ("delivery.trust", "Trust: a title's root and its ceremony; until when things hold."),
    "studio": ("studio", "The studio: who it is, its documents, its verification."),
    "calendar": ("calendar", "The calendar: what of the studio ends when, agreements, a feed for your own."),
    "person": ("people.person", "People of the studio and their roles."),
    "second-factor": (
        "people.factor",
        "Your second factor: codes of an app, asked for at the sign-in and before acts that matter.",
    ),
    "letters": ("people.letters", "What you are told of by letter, at once or once a day."),
    "event": ("events", "Who did what."),
    "webhook": ("webhooks", "Webhooks: where a title's events are sent."),
}
"""Word -> (module below rampa.cli, one line of help)."""
COMMANDS = {
    "sign-in": "Sign in to a service and keep a token for this machine.",
    "sign-out": "Revoke this machine's token and forget it.",
    "whoami": "Who is signed in, where.",
}


class LazyGroup(TyperGroup):
    """Knows the names and one line of help of each group; imports a group only when it is used."""

    def list_commands(self, ctx: Any) -> list[str]:
        return [*COMMANDS, *GROUPS]

    def get_command(self, ctx: Any, name: str) -> Any:
        if name not in GROUPS and name not in COMMANDS:
            return None
        if not _used(name):
            return TyperCommand(name, short_help=GROUPS[name][1] if name in GROUPS else COMMANDS[name])
        module = importlib.import_module(f"rampa.cli.{GROUPS[name][0] if name in GROUPS else 'people.account'}")
        # Completion is the top command's: it completes every noun below.
        module.app._add_completion = False
        command = typer.main.get_command(module.app)
        if name in COMMANDS:
            assert isinstance(command, TyperGroup)
            return command.get_command(ctx, name)
        return command


def _used(name: str) -> bool:
    """The group is asked for by its word, rather than listed; a shell that completes says the words in its environment."""
    completed = " ".join(os.environ.get(variable, "") for variable in ("COMP_WORDS", "_TYPER_COMPLETE_ARGS"))
    return name in sys.argv[1:] or name in completed.split()


app = typer.Typer(
    cls=LazyGroup,
    name="rampa",
    help="Builds from a title's folder to the player's device.",
    no_args_is_help=True,
    rich_markup_mode=None,
)


def _say_version(asked: bool) -> None:
    if asked:
        from rampa import __version__

        typer.echo(f"rampa {__version__}")
        raise typer.Exit


@app.callback()
def root(
    version: bool = typer.Option(
        False, "--version", help="Say the version and stop.", is_eager=True, callback=_say_version
    ),
) -> None:
    """Builds from a title's folder to the player's device."""


def exit_code(error: errors.RampaError) -> int:
    return next((code for kind, code in EXIT_CODES.items() if isinstance(error, kind)), 1)


def _mistake(error: ValueError) -> str:
    """What was typed and is no name, address or number that the service takes, said before anything is sent."""
    # By the module's name: loading pydantic to look whether an error is its own takes a quarter of a second.
    if type(error).__module__ != "pydantic_core._pydantic_core":
        return ""
    from rampa.schema.mistakes import mistakes

    return "; ".join(f"{m.where}: {m.message}" for m in mistakes(error))  # type: ignore[arg-type]


def main(arguments: list[str] | None = None) -> Any:
    """One sentence for every error of ours; nothing else is caught, so that a defect shows whole."""
    if arguments is not None:
        sys.argv = ["rampa", *arguments]
    try:
        return app(standalone_mode=True)
    except errors.RampaError as error:
        typer.echo(f"rampa: {error.sentence()}", err=True)
        sys.exit(exit_code(error))
    except ValueError as error:
        said = _mistake(error)
        if not said:
            raise
        typer.echo(f"rampa: {said}", err=True)
        sys.exit(EXIT_CODES[errors.Invalid])
    except KeyboardInterrupt:
        typer.echo("\nrampa: interrupted. What was done is kept; the same command goes on.", err=True)
        sys.exit(130)


if __name__ == "__main__":
    main()
