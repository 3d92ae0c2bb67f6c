import { duration } from "../../ui/format";
import { RunState, usePassed } from "./parts";
import { ENDED, type Run } from "./queries";
import "./runs.css";

type Attempt = Run["attempts"][number];

/** The steps of a run as bars on one clock: how long each took, against what is usual. */
export function Timeline({ run, heard, pick }: { run: Run; heard: number; pick: (line: number) => void }) {
  return run.attempts.map((attempt, n) => (
    <Steps
      key={attempt.number}
      attempt={attempt}
      run={run}
      heard={heard}
      pick={pick}
      named={run.attempts.length > 1}
      last={n === run.attempts.length - 1}
    />
  ));
}

interface StepsProps {
  attempt: Attempt;
  run: Run;
  heard: number;
  pick: (line: number) => void;
  named: boolean;
  last: boolean;
}

function Steps({ attempt, run, heard, pick, named, last }: StepsProps) {
  const passed = usePassed(heard, ENDED.has(run.state) || !last);
  const length = (s: Attempt["steps"][number]) =>
    Math.max(
      s.state === "working" ? (s.seconds ?? 0) + passed : (s.seconds ?? 0),
      s.state === "waiting" || s.state === "working" ? (s.expected ?? 0) : 0,
    );
  const whole = Math.max(
    0.1,
    attempt.steps.reduce((sum, s) => sum + length(s), 0),
  );
  let at = 0;
  return (
    <div className="timeline" role="list" aria-label={named ? `Attempt ${attempt.number}` : "Steps"}>
      {named && (
        <div className="dim" style={{ padding: "6px 14px 2px", fontSize: 12.5 }}>
          Attempt {attempt.number}
          {last ? ` on ${run.agent}` : ""}
        </div>
      )}
      {attempt.steps.map((s) => {
        const from = at;
        const own = length(s);
        at += own;
        const took = s.state === "working" ? (s.seconds ?? 0) + passed : s.seconds;
        return (
          <div key={s.position} role="listitem" className={`step ${s.state}`}>
            <button
              type="button"
              className="name"
              disabled={!s.first_line}
              onClick={() => pick(s.first_line)}
              title={s.first_line ? "Show its first line" : undefined}
            >
              {s.name}
              {s.tries > 1 && <span className="dim"> try {s.tries}</span>}
            </button>
            <span className="state">
              <RunState state={s.state} />
            </span>
            <span className="track" aria-hidden>
              <span
                className="bar"
                style={{ left: `${(100 * from) / whole}%`, width: `${Math.max(0.6, (100 * (took ?? own)) / whole)}%` }}
              />
            </span>
            <span className="took">
              {took != null ? duration(took) : ""}
              {s.expected != null && s.state !== "done" && s.state !== "left-out" && (
                <span className="dim">
                  {" "}
                  {took != null ? "of" : "usually"} {duration(s.expected)}
                </span>
              )}
            </span>
            {s.said && s.state !== "done" && <span className="said">{s.said}</span>}
          </div>
        );
      })}
    </div>
  );
}
