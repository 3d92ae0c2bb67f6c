import { Link } from "react-router";

import { SeverityMark } from "../../ui/parts";
import { From } from "./parts";
import { type Finding, type Matrix, type Row, useSettings } from "./queries";
import "./matrix.css";

interface Props {
  matrix: Matrix;
  title: string;
  row: Row | null;
  column: number;
  findings: Finding[];
}

/** What a cell of the matrix holds, whole: the value, each item's origin, what was found, where to change it. */
export function CellDetail({ matrix, title, row, column, findings }: Props) {
  const settings = useSettings();
  const profile = matrix.columns[column];
  if (!row || !profile) {
    return <div className="cell-detail dim">Choose a cell to see its value whole, where it was said, and what was found in it.</div>;
  }
  const cell = row.cells[column] ?? null;
  const setting = settings.data?.settings.find((s) => s.key === row.key);
  const parts = Object.entries(cell?.parts ?? {}).filter(([, o]) => o.line !== cell?.origin.line);
  return (
    <section className="cell-detail" aria-label="The chosen cell">
      <div>
        <b>{row.label}</b> of <b>{profile.name}</b> <span className="mono dim">{row.key}</span>
        <Link style={{ float: "right" }} to={`/titles/${title}/document/edit?layer=profile ${profile.name}&key=${row.key}`}>
          Change it
        </Link>
      </div>
      <div className="cell-value">{cell?.text || <span className="dim">not set</span>}</div>
      <div className="dim">
        {cell && <From origin={cell.origin} title={title} revision={matrix.revision} />}
        {parts.map(([item, origin]) => (
          <span key={item}>
            {" · "}
            {item.length > 40 ? `${item.slice(0, 39)}…` : item}: <From origin={origin} title={title} revision={matrix.revision} />
          </span>
        ))}
        {setting && ` · ${setting.help}`}
      </div>
      {findings.map((f) => (
        <div key={f.name}>
          <SeverityMark severity={f.severity} /> {f.message}. <span className="dim">{f.hint}</span>
        </div>
      ))}
    </section>
  );
}
