import { useState } from "react";

import type { Run } from "./queries";
import "./runs.css";

/** Errors and warnings, folded: lines that differ in names and numbers only are one row. A click goes from one to the next. */
export function Kinds({ run, show }: { run: Run; show: (lines: number[], at: number) => void }) {
  const [at, setAt] = useState<Record<string, number>>({});
  if (run.kinds.length === 0)
    return (
      <div className="dim" style={{ padding: 14 }}>
        None so far.
      </div>
    );
  return (
    <div className="kinds">
      {run.kinds.map((k) => {
        const key = `${k.level} ${k.first_line}`;
        const next = at[key] ?? 0;
        return (
          <button
            type="button"
            key={key}
            title={k.example}
            onClick={() => {
              show(k.lines, next % k.lines.length);
              setAt({ ...at, [key]: (next + 1) % k.lines.length });
            }}
          >
            <span className="mark">
              <span className={`severity ${k.level === "error" ? "blocker" : "warning"}`}>
                <span aria-hidden>{k.level === "error" ? "■" : "▲"}</span> {k.level}
              </span>
            </span>
            <span className="count">{k.count > 1 ? `${k.count.toLocaleString("en")} ×` : `line ${k.first_line}`}</span>
            <span className="example">{k.example.replace(/^\s*(error|warning):\s*/i, "")}</span>
          </button>
        );
      })}
    </div>
  );
}
