"""Names, messages and lines of logs with bytes that command a terminal: they set its title, hide what stands above, or turn
the direction of what follows."""

from __future__ import annotations

import io
import json

import pytest
from rich.table import Table
from rich.text import Text

from rampa.cli.base import output
from rampa.cli.base.terminal import HARMFUL, TextConsole, shown, shown_in_json
from rampa.core.check.findings import Finding

TITLE, CLEAR, C1, TURN = "\x1b]0;owned\x07", "\x1b[2J\x1b[H", "\x9b2J", "\u202egpj.exe"
EVIL = f"Fog{TITLE}{CLEAR}{C1}{TURN}\r\b"


def on_a_terminal(*printed: object) -> str:
    out = io.StringIO()
    console = TextConsole(file=out, force_terminal=True, width=200, highlight=False, markup=False, emoji=False)
    console.print(*printed)
    return out.getvalue()


@pytest.mark.parametrize("how", ["text", "styled", "table", "heading"])
def test_nothing_of_others_reaches_it_raw(how: str) -> None:
    grid = Table()
    grid.add_column("name" if how != "heading" else EVIL)
    grid.add_row(EVIL if how == "table" else "x")
    printed = {"text": EVIL, "styled": Text(EVIL, style="bold red")}.get(how, grid)
    told = on_a_terminal(printed)
    assert "Fog" in told
    assert "owned" in told, "what was meant to be hidden is seen"
    for sequence in (TITLE, CLEAR, C1, "\x07", "\u202e", "\r", "\b"):
        assert sequence not in told


def test_our_own_colours_stay() -> None:
    assert "\x1b[1;31m" in on_a_terminal(Text("blocked", style="bold red"))


def test_findings_and_tables_go_through_it(monkeypatch: pytest.MonkeyPatch) -> None:
    out = io.StringIO()
    console = TextConsole(file=out, force_terminal=True, width=200)
    monkeypatch.setattr(output, "out", lambda: console)
    output.findings([Finding("blocker", "a.code", EVIL, "", EVIL)])
    output.table(["name"], [[EVIL]])
    output.facts([("name", EVIL)])
    assert not {TITLE, CLEAR, C1, "\u202e"} & {s for s in (TITLE, CLEAR, C1, "\u202e") if s in out.getvalue()}


def test_json_says_it_all_and_commands_nothing(capsys: pytest.CaptureFixture[str]) -> None:
    output.print_json({"name": EVIL, "plain": "ümlaut\n"})
    told = capsys.readouterr().out
    assert json.loads(told) == {"name": EVIL, "plain": "ümlaut\n"}
    assert not HARMFUL & set(told)
    assert json.loads(shown_in_json(json.dumps(EVIL, ensure_ascii=False))) == EVIL


def test_a_log_goes_raw_into_a_file_and_shown_to_a_terminal(
    capfdbinary: pytest.CaptureFixture[bytes], monkeypatch: pytest.MonkeyPatch
) -> None:
    data = f"{EVIL}ä\n".encode()
    pieces = [data[:9], data[9:-3], data[-3:-2], data[-2:]]
    output.print_text(pieces)
    assert capfdbinary.readouterr().out == data
    monkeypatch.setattr("sys.stdout.isatty", lambda: True)
    output.print_text(pieces)
    told = capfdbinary.readouterr().out.decode()
    assert told == shown(data.decode())
    assert not (HARMFUL - {"\n"}) & set(told)
    assert told.endswith("ä\n")
