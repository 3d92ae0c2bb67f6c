import { Link } from "react-router";

import { duration } from "../../ui/format";
import { Empty, When } from "../../ui/parts";
import { Of, RunState, Says, Why } from "./parts";
import type { RunSummary } from "./queries";
import "./runs.css";

/** Runs as rows. */
export function RunTable({ runs, title }: { runs: RunSummary[]; title: string }) {
  if (runs.length === 0)
    return <Empty command={`bin/rampa run start PROFILE --title ${title}`}>No run is here. Start one with the button above, or:</Empty>;
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Run</th>
          <th>Profile</th>
          <th>State</th>
          <th className="wide">Built from</th>
          <th className="wide">Started</th>
          <th className="wide">Agent</th>
          <th className="number wide">Took</th>
          <th className="number wide">Warnings</th>
          <th>Result</th>
        </tr>
      </thead>
      <tbody>
        {runs.map((run) => (
          <tr key={run.number}>
            <td className="tight">
              <Link to={`/titles/${title}/runs/${run.number}`} style={{ fontWeight: 600 }}>
                {run.number}
              </Link>
            </td>
            <td className="tight">{run.profile}</td>
            <td>
              <RunState state={run.state} />
            </td>
            <td className="wide tight">
              <Of run={run} title={title} />
            </td>
            <td className="wide tight">
              <When at={run.created_at} />{" "}
              <span className="dim">
                by <Why run={run} />
              </span>
            </td>
            <td className="wide tight">
              {run.agent}
              {run.attempt > 1 && <span className="dim">, try {run.attempt}</span>}
            </td>
            <td className="number wide">{run.taken_at ? duration(run.seconds) : ""}</td>
            <td className="number wide">{run.warnings || ""}</td>
            <td style={{ minWidth: 90 }}>
              <div className="clip" title={run.cause?.sentence ?? run.waits_for}>
                <Says run={run} title={title} />
              </div>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
