"""How plans and submissions are shown on a terminal."""

from __future__ import annotations

import time
from collections.abc import Sequence

from rich.text import Text

from rampa.cli.base.output import ago, duration, err, facts, findings, mb, moment, out, table, usual_words
from rampa.cli.base.progress import Bars
from rampa.client import Client
from rampa.core.submission.course import Course
from rampa.core.submission.life import ON_SHOW, SubmissionState
from rampa.core.submission.needs import NeedState
from rampa.schema import submissions as wire

NEED_MARKS = {
    NeedState.THERE: ("✓", "green"),
    NeedState.WARNING: ("▲ warning", "yellow"),
    NeedState.LATER: ("○ later", "cyan"),
    NeedState.MISSING: ("■ missing", "bold red"),
}
MOVING = (
    SubmissionState.SENT,
    SubmissionState.UNPACKED,
    SubmissionState.CHECKING,
    SubmissionState.WAITING,
    SubmissionState.REVIEWING,
)
WITH = {
    SubmissionState.QUESTION: "rampa submission answer {} --words …",
    SubmissionState.REFUSED: "rampa submission send BUILD --replaces {}, or rampa submission appeal {} --words …",
    SubmissionState.LOST: "rampa submission send-again {}",
}
"""The command for what a person must do."""
EVERY = 1.0
"""Seconds between two questions to the service while something is followed."""


def plan_shown(plan: wire.SubmissionPlan) -> None:
    for item in plan.items:
        simulated = " (simulated)" if item.simulated else ""
        build = f"{item.build_name}, {item.version_name} ({item.version_code:,}) for {item.platform}"
        out().print(f"{item.storefront_title}{simulated}: {build}")
        if item.there and not item.needs:
            out().print(f"  It is there already: rampa submission show {item.there} --title {plan.title}\n")
            continue
        rows = [(Text(*NEED_MARKS[n.state]), n.title, n.said, n.mend) for n in item.needs]
        table(["", "needed", "~how it stands", "~mend it with"], rows)
        grave = [f for need in item.needs for f in need.findings if f.severity == "blocker"]
        findings(grave[:12])
        out().print()


def rows_shown(found: Sequence[wire.SubmissionRowOut]) -> None:
    rows = [
        (s.number, s.build_name, s.version_name, s.storefront_title, _where(s), ago(s.moved_at), s.said) for s in found
    ]
    table(
        [">submission", "build", "version", "storefront", "~where it is", "since", "~to do"],
        rows,
        "No submission yet: rampa submission plan BUILD",
    )


def _where(found: wire.SubmissionRowOut) -> str:
    if found.upload is not None:
        return f"{found.words}: {mb(found.upload.sent)} of {mb(found.upload.size)}"
    ahead = f", {found.ahead} ahead" if found.ahead else ", next" if found.ahead == 0 else ""
    share = f" for {found.share} %" if found.state is SubmissionState.PARTLY_LIVE else ""
    return f"{found.words}{ahead}{share}" + (", held" if found.held else "")


def submission_shown(found: wire.SubmissionOut) -> None:
    build = f"{found.build_name}, {found.version_name} ({found.version_code:,})"
    out().print(f"Submission {found.number} of {found.title}: {build}, at {found.storefront_title}")
    there = f' ("{found.there}" there)' if found.there and found.there != found.words else ""
    rows: list[tuple[str, object]] = [("is", f"{_where(found)}{there}, {ago(found.moved_at)}")]
    rows += [("to do", found.said)] if found.said else []
    rows += (
        [("with", WITH[found.state].replace("{}", str(found.number)))]
        if found.state in WITH and not found.mended_by
        else []
    )
    rows += [("set back", found.set_back)] if found.set_back else []
    rows += [("hand it in at", found.hand_in)] if found.hand_in else []
    rows += [("goes live", _going(found))]
    rows += [("verdicts come", f"usually after {usual_words(found.verdict)}")] if found.verdict else []
    rows += [("mends", f"submission {found.replaces}")] if found.replaces else []
    rows += [("said to them", found.notes)] if found.notes else []
    facts(rows)
    for line in found.changed:
        out().print(f"  • {line}")
    _timeline(found)
    for word in found.reviewers:
        about = f" on {word.about}" if word.about else ""
        out().print(f"{word.by}{about}, {moment(word.at)}:", style="bold")
        out().print(f"  {word.text}")
    _found(found)


def _timeline(found: wire.SubmissionOut) -> None:
    if not found.stages or found.course is Course.DROPPED:
        return
    rows = []
    for stage in found.stages:
        mark = "✓" if stage.ended else "●" if stage.began else "○"
        took = duration((stage.ended - stage.began).total_seconds()) if stage.began and stage.ended else ""
        rows.append((mark, stage.words, moment(stage.began) if stage.began else "", took, usual_words(stage.usual)))
    table(["", "stage", "from", ">took", "usually takes"], rows)


def _found(found: wire.SubmissionOut) -> None:
    if not found.findings:
        return
    out().print("What the storefront's machines found, and our checks did not:")
    rows = [(n, f.severity, f.message, f.where, f.rule and f"rule {f.rule}") for n, f in enumerate(found.findings, 1)]
    table([">", "", "~found", "~where", "our check now"], rows)
    if any(not f.rule for f in found.findings):
        err().print(f"Make a check of one: rampa rule add --from {found.number} --found N")


def _going(found: wire.SubmissionOut) -> str:
    if found.state in ON_SHOW:
        return "it is live"
    when = {"at-once": "by itself, once it passed", "by-an-act": "by an act: rampa submission go-live"}.get(
        found.going.value, ""
    )
    at = f"at {moment(found.going_at)}" if found.going_at else ""
    return (when or at) + (", when the others that it waits for passed, too" if found.wait else "")


def followed(
    client: Client, title: str, numbers: Sequence[int], *, until_verdict: bool = False, quiet: bool = False
) -> list[wire.SubmissionOut]:
    """Until all are at their storefronts, or with `until_verdict` until each waits for a person or is live."""
    words = {str(n): f"submission {n}" for n in numbers}
    last: dict[int, str] = {}
    with Bars(words, quiet) as bars:
        while True:
            found = [client.submissions.get(title, n) for n in numbers]
            for each in found:
                _step(each, bars, last, quiet)
            if not any(_goes_on(each, until_verdict) for each in found):
                return found
            time.sleep(EVERY)


def _step(each: wire.SubmissionOut, bars: Bars, last: dict[int, str], quiet: bool) -> None:
    if each.upload is not None and each.course is Course.SENDING and each.upload.sent:
        bars.show(str(each.number), each.upload.sent, each.upload.size, each.storefront_title)
    elif not quiet and last.get(each.number) != (said := f"{_where(each)}. {each.said}".strip()):
        last[each.number] = said
        err().print(f"{each.storefront_title}: {said}")


def _goes_on(each: wire.SubmissionOut, until_verdict: bool) -> bool:
    if each.course is Course.SENDING:
        return True
    return until_verdict and each.course is Course.THERE and each.state in MOVING
