import { Link } from "react-router";

import { duration, plural } from "../../ui/format";
import { Panel } from "../../ui/parts";
import { Of, Progress, RunState, StepOf, usePassed } from "./parts";
import type { RunSummary } from "./queries";

/** What is worked on and what waits, oldest first: who has it, how far it is, or why it waits. */
export function OpenRuns({ runs, title, heard }: { runs: RunSummary[]; title: string; heard: number }) {
  const sorted = [...runs].sort((a, b) => a.number - b.number);
  const working = sorted.filter((r) => r.state !== "waiting").length;
  return (
    <div style={{ marginBottom: 16 }}>
      <Panel title="Now" aside={`${working} worked on, ${plural(sorted.length - working, "waits", "wait")}`} flush>
        <table className="rows">
          <tbody>
            {sorted.map((run) => (
              <Row key={run.number} run={run} title={title} heard={heard} />
            ))}
          </tbody>
        </table>
      </Panel>
    </div>
  );
}

function Row({ run, title, heard }: { run: RunSummary; title: string; heard: number }) {
  const passed = usePassed(heard, run.state === "waiting");
  return (
    <tr>
      <td className="tight">
        <Link to={`/titles/${title}/runs/${run.number}`} style={{ fontWeight: 600 }}>
          {run.number}
        </Link>
      </td>
      <td className="tight">{run.profile}</td>
      <td>
        <RunState state={run.state} />
      </td>
      <td className="wide">
        <Of run={run} title={title} />
      </td>
      {run.state === "waiting" ? (
        <td colSpan={4}>{run.waits_for}</td>
      ) : (
        <>
          <td className="wide">{run.agent}</td>
          <td>
            {run.step ? <StepOf run={run} /> : <span className="dim">begins</span>}
            {run.silent > 0 && <span style={{ color: "var(--r-warning)" }}> · silent for {duration(run.silent + passed)}</span>}
          </td>
          <td className="number">{duration(run.seconds + passed)}</td>
          <td className="wide">
            <Progress run={run} heard={heard} />
          </td>
        </>
      )}
    </tr>
  );
}
