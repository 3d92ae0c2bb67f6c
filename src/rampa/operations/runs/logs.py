"""A run's log: batches of lines as they come, kept compressed; read by line number, searched, folded by kind."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence

import zstandard
from sqlalchemy import select

from rampa.core.errors import Conflict
from rampa.core.run import life
from rampa.core.run.life import RunState
from rampa.core.run.log_lines import clean, kind_of
from rampa.db import LogKindRow, LogPartRow, RunRow, find_run, held_run, queue
from rampa.operations.base import Services, UnitOfWork, begin
from rampa.schema import runs as wire
from rampa.schema.agents import LogIn, LogTaken

KIND_LINES = 1000
KINDS = 500
"""Different kinds that are counted in one run; a log that has more of them repeats none."""
PART_LIMIT = 256 * 1024 * 1024
Row = tuple[int, int, str, str]


def take_batch(services: Services, agent: str, lease: str, asked: LogIn) -> LogTaken:
    """The next batch of an attempt's log. One that was taken already changes nothing; a gap is a `Conflict`."""
    with begin(services) as uow:
        run = held_run(uow.session, agent, lease)
        # The answer to it got lost; the agent sent it once more.
        if asked.batch <= run.log.batch:
            return LogTaken(batch=run.log.batch, lines=run.log.lines)
        if asked.batch != run.log.batch + 1:
            raise Conflict("log.gap", f"batch {run.log.batch + 1} of the log is missing", where="batch")
        run.log.batch = asked.batch
        run.attempt.spoke_at = run.attempt.seen_at = services.now()
        add_lines(uow, run, asked.lines)
        return LogTaken(batch=run.log.batch, lines=run.log.lines)


def add_lines(uow: UnitOfWork, run: RunRow, rows: Sequence[Row]) -> None:
    """The run's row must be locked."""
    if not rows:
        return
    first = run.log.lines + 1
    data = "\n".join(f"{ms}\t{step}\t{level}\t{text}" for ms, step, level, text in rows).encode()
    packed = zstandard.ZstdCompressor(level=3).compress(data)
    uow.session.add(
        LogPartRow(
            run_id=run.id, first_line=first, lines=len(rows), attempt=run.attempt.number, size=len(data), data=packed
        )
    )
    run.log.lines += len(rows)
    marked = [(first + n, row[2], row[3]) for n, row in enumerate(rows) if row[2] in ("error", "warning")]
    if marked:
        _fold(uow, run, marked)
    uow.session.flush()
    # Told in this transaction: who waits for the log is woken when the lines can be read, not before.
    queue.tell(uow.session, f"run/{run.id}")


def _fold(uow: UnitOfWork, run: RunRow, marked: list[tuple[int, str, str]]) -> None:
    found: dict[tuple[str, str], list[int]] = {}
    examples: dict[tuple[str, str], str] = {}
    for number, level, text in marked:
        key = (level, hashlib.blake2b(kind_of(text).encode(), digest_size=16).hexdigest())
        found.setdefault(key, []).append(number)
        examples.setdefault(key, text[:400])
    errors = [n for n, level, _ in marked if level == "error"]
    run.log.errors += len(errors)
    run.log.warnings += len(marked) - len(errors)
    if errors and not run.log.first_error:
        run.log.first_error = errors[0]
    known = {(k.level, k.digest): k for k in uow.session.scalars(select(LogKindRow).where(LogKindRow.run_id == run.id))}
    for key, numbers in found.items():
        kind = known.get(key)
        if kind is not None:
            kind.count += len(numbers)
            if len(kind.lines) < KIND_LINES:
                kind.lines = [*kind.lines, *numbers][:KIND_LINES]
        # A tool that makes a new message every time (with an address, a time) must not make a table without end.
        elif len(known) < KINDS:
            kind = LogKindRow(
                run_id=run.id,
                level=key[0],
                digest=key[1],
                example=examples[key],
                count=len(numbers),
                first_line=numbers[0],
                lines=numbers[:KIND_LINES],
            )
            uow.session.add(kind)
            known[key] = kind


def say(uow: UnitOfWork, run: RunRow, text: str, step: int = -1) -> None:
    """Lines of the service's own; what agents gave it to say may be of several."""
    add_lines(uow, run, [(0, step, "rampa", clean(line)) for line in text.splitlines()])


def rows_of(part: LogPartRow) -> list[Row]:
    text = zstandard.ZstdDecompressor().decompress(part.data, max_output_size=PART_LIMIT).decode()
    out: list[Row] = []
    for line in text.split("\n"):
        ms, step, level, said = line.split("\t", 3)
        out.append((int(ms), int(step), level, said))
    return out


def read_rows(uow: UnitOfWork, run: RunRow, start: int, limit: int) -> list[Row]:
    """Lines from number `start` on."""
    parts = uow.session.scalars(
        select(LogPartRow)
        .where(LogPartRow.run_id == run.id, LogPartRow.first_line < start + limit)
        .where(LogPartRow.first_line + LogPartRow.lines > start)
        .order_by(LogPartRow.first_line)
    )
    out: list[Row] = []
    for part in parts:
        rows = rows_of(part)
        out += rows[max(0, start - part.first_line) : start + limit - part.first_line]
    return out


def read_log(services: Services, slug: str, number: int, query: wire.LogQuery) -> wire.LogOut:
    with begin(services) as uow:
        run = find_run(uow.session, slug, number)
        rows = read_rows(uow, run, query.start, query.limit)
        return wire.LogOut(start=query.start, lines=run.log.lines, rows=rows, ended=RunState(run.state) in life.ENDED)


def tail_of(uow: UnitOfWork, run: RunRow, count: int) -> list[wire.LineOut]:
    """The newest lines."""
    start = max(1, run.log.lines - count + 1)
    rows = read_rows(uow, run, start, count)
    return [
        wire.LineOut(number=start + n, ms=ms, step=step, level=level, text=text)
        for n, (ms, step, level, text) in enumerate(rows)
    ]


def _parts(services: Services, run: RunRow) -> Iterator[tuple[int, list[Row]]]:
    """All parts, one in memory at a time, each read in a transaction of its own."""
    after = 0
    while True:
        with begin(services) as uow:
            rows = select(LogPartRow).where(LogPartRow.run_id == run.id, LogPartRow.first_line > after)
            part = uow.session.scalar(rows.order_by(LogPartRow.first_line).limit(1))
        if part is None:
            return
        yield part.first_line, rows_of(part)
        after = part.first_line


def whole_text(services: Services, slug: str, number: int) -> Iterator[bytes]:
    """The log as plain text, for saving."""
    with begin(services) as uow:
        run = find_run(uow.session, slug, number)
    names = [s.name for s in run.order.steps]

    def pieces() -> Iterator[bytes]:
        for _, rows in _parts(services, run):
            lines = (
                f"{_clock(ms)} {names[step] if 0 <= step < len(names) else '-':<10} {text}\n"
                for ms, step, _, text in rows
            )
            yield "".join(lines).encode()

    return pieces()


def _clock(ms: int) -> str:
    seconds, rest = divmod(ms, 1000)
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}.{rest:03d}"


def search(services: Services, slug: str, number: int, query: wire.SearchQuery) -> wire.SearchOut:
    with begin(services) as uow:
        run = find_run(uow.session, slug, number)
    wanted = query.text.lower()
    found: list[int] = []
    for first, rows in _parts(services, run):
        for n, row in enumerate(rows):
            if wanted in row[3].lower():
                if len(found) == query.limit:
                    return wire.SearchOut(numbers=found, more=True)
                found.append(first + n)
    return wire.SearchOut(numbers=found, more=False)
