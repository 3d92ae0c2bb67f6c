import "./matrix.css";

import { type CSSProperties, Fragment, type KeyboardEvent, useMemo, useRef, useState } from "react";
import { Link } from "react-router";

import { brief, usualOf } from "./brief";
import { CellDetail } from "./CellDetail";
import type { Finding, Matrix, Row } from "./queries";

interface Place {
  row: number;
  column: number;
}

const MOVES: Record<string, [number, number]> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
const SHAPE: Record<string, string> = { blocker: "■", warning: "▲", note: "●" };

/** One cell has the focus; arrow keys move it, and what it holds is told whole below. */
export function MatrixTable({ matrix, rows, title }: { matrix: Matrix; rows: Row[]; title: string }) {
  const [chosen, setChosen] = useState<Place | null>(null);
  const body = useRef<HTMLTableSectionElement>(null);
  const findings = useMemo(() => byCell(matrix.findings), [matrix.findings]);
  const place = chosen && rows[chosen.row] ? chosen : null;

  const walk = (event: KeyboardEvent) => {
    const last = { row: rows.length - 1, column: matrix.columns.length - 1 };
    const from = place ?? { row: 0, column: 0 };
    const move = MOVES[event.key];
    let to: Place | null = null;
    if (move) to = { row: from.row + move[0], column: from.column + move[1] };
    if (event.key === "Home") to = { row: event.ctrlKey ? 0 : from.row, column: 0 };
    if (event.key === "End") to = { row: event.ctrlKey ? last.row : from.row, column: last.column };
    if (!to) return;
    event.preventDefault();
    const next = { row: Math.min(Math.max(to.row, 0), last.row), column: Math.min(Math.max(to.column, 0), last.column) };
    setChosen(next);
    const cell = body.current?.querySelector<HTMLElement>(`[data-at="${next.row} ${next.column}"]`);
    cell?.focus();
    cell?.scrollIntoView({ block: "nearest" });
  };

  let group = "";
  return (
    <>
      <div className="matrix-scroll">
        <table
          className="matrix"
          role="grid"
          aria-label="Settings by profiles"
          style={{ "--columns": matrix.columns.length } as CSSProperties}
        >
          <thead>
            <tr>
              <th scope="col">Setting</th>
              {matrix.columns.map((c) => (
                <th key={c.name} scope="col" className={chosen && matrix.columns[chosen.column]?.name === c.name ? "here" : undefined}>
                  <Link
                    to={`/titles/${title}/profiles/${c.name}${matrix.revision ? `?revision=${matrix.revision}` : ""}`}
                    title={`${c.platform_title}, ${c.purpose}`}
                  >
                    {c.name.split("-").map((part, i) => (
                      <Fragment key={i}>
                        {i > 0 && (
                          <>
                            -<wbr />
                          </>
                        )}
                        {part}
                      </Fragment>
                    ))}
                  </Link>
                  <Counts blockers={c.blockers} warnings={c.warnings} />
                </th>
              ))}
            </tr>
          </thead>
          <tbody ref={body} onKeyDown={walk}>
            {rows.map((row, r) => {
              const head = row.group !== group;
              group = row.group;
              const usual = usualOf(row);
              return (
                <Fragment key={row.key}>
                  {head && (
                    <tr className="group">
                      <th colSpan={matrix.columns.length + 1} scope="rowgroup">
                        {matrix.groups.find((g) => g.name === row.group)?.label}
                      </th>
                    </tr>
                  )}
                  <tr>
                    <th scope="row" title={row.key}>
                      {row.label}
                    </th>
                    {row.cells.map((cell, c) => {
                      const found = findings.get(`${matrix.columns[c]!.name} ${row.key}`)?.[0];
                      const odd = row.odd.includes(c);
                      const unlike = row.differs && (odd || (usual !== null && (cell?.text ?? "") !== usual.text));
                      const kind = odd ? "odd" : unlike ? "rare" : "";
                      const here = place?.row === r && place.column === c;
                      return (
                        <td
                          key={c}
                          role="gridcell"
                          data-at={`${r} ${c}`}
                          tabIndex={here || (!place && r === 0 && c === 0) ? 0 : -1}
                          aria-selected={here}
                          className={`${kind} ${cell?.origin.line ? "" : "not-set"}`}
                          onFocus={() => setChosen({ row: r, column: c })}
                          onClick={(e) => e.currentTarget.focus()}
                        >
                          {found && (
                            <span className={`severity ${found.severity}`} aria-label={found.severity}>
                              {SHAPE[found.severity]}{" "}
                            </span>
                          )}
                          {odd && <span aria-label="odd one out">◆ </span>}
                          {(unlike && usual ? brief(cell, usual.cell) : cell?.text) || "—"}
                        </td>
                      );
                    })}
                  </tr>
                </Fragment>
              );
            })}
          </tbody>
        </table>
      </div>
      <CellDetail
        matrix={matrix}
        title={title}
        row={place ? rows[place.row]! : null}
        column={place?.column ?? 0}
        findings={place ? (findings.get(`${matrix.columns[place.column]!.name} ${rows[place.row]!.key}`) ?? []) : []}
      />
    </>
  );
}

function Counts({ blockers, warnings }: { blockers: number; warnings: number }) {
  if (!blockers && !warnings) return null;
  return (
    <span className="counts">
      {blockers > 0 && (
        <span className="severity blocker" title={`${blockers} blockers`}>
          ■{blockers}
        </span>
      )}{" "}
      {warnings > 0 && (
        <span className="severity warning" title={`${warnings} warnings`}>
          ▲{warnings}
        </span>
      )}
    </span>
  );
}

function byCell(findings: Finding[]): Map<string, Finding[]> {
  const out = new Map<string, Finding[]>();
  for (const f of findings) {
    const key = `${f.profile} ${f.key}`;
    out.set(key, [...(out.get(key) ?? []), f]);
  }
  return out;
}
