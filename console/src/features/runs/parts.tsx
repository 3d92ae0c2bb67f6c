import { useEffect, useReducer } from "react";
import { Link } from "react-router";

import { duration } from "../../ui/format";
import { ENDED, type RunSummary } from "./queries";
import "./runs.css";

const MARK: Record<string, string> = {
  done: "✓",
  failed: "✗",
  cancelled: "–",
  superseded: "–",
  working: "▸",
  stopping: "▸",
  waiting: "·",
  stopped: "■",
  "left-out": "–",
  "not-reached": "–",
};
const TONE: Record<string, string> = {
  done: "var(--r-done)",
  failed: "var(--r-blocker)",
  working: "var(--r-accent)",
  stopping: "var(--r-warning)",
  stopped: "var(--r-warning)",
};

/** A mark and a word beside the colour. */
export function RunState({ state }: { state: string }) {
  return (
    <span style={{ color: TONE[state] ?? "var(--mantine-color-dimmed)", fontWeight: 600, whiteSpace: "nowrap" }}>
      <span aria-hidden className={state === "working" ? "beating" : undefined}>
        {MARK[state] ?? "·"}
      </span>{" "}
      {state.replaceAll("-", " ")}
    </span>
  );
}

/** Seconds that passed since `since`, counted while the page is open; nothing when `stopped`. */
export function usePassed(since: number, stopped: boolean): number {
  const [, again] = useReducer((n: number) => n + 1, 0);
  useEffect(() => {
    if (stopped) return;
    const timer = setInterval(again, 500);
    return () => clearInterval(timer);
  }, [stopped]);
  return stopped ? 0 : Math.max(0, (Date.now() - since) / 1000);
}

/** What it was built from: the branch or tag with its commit, or an uploaded folder. */
export function Of({ run, title }: { run: Pick<RunSummary, "commit" | "ref" | "folder" | "subject">; title: string }) {
  if (run.folder) return <>folder {run.folder}</>;
  const name = run.ref.slice(run.ref.indexOf("/") + 1);
  return (
    <span title={run.subject}>
      {name && <Link to={`/titles/${title}/source?of=${encodeURIComponent(run.ref)}`}>{name}</Link>}{" "}
      <span className="mono dim">{run.commit.slice(0, 8)}</span>
    </span>
  );
}

export function Why({ run }: { run: RunSummary }) {
  if (run.why === "manual") return <>{run.started_by}</>;
  if (run.why === "repeat") return <>{run.started_by}, repeated</>;
  return (
    <>
      {run.why} {run.trigger}
    </>
  );
}

/** What there is to say of a run in one line: its cause, what it waits for, its build. */
export function Says({ run, title }: { run: RunSummary; title: string }) {
  if (run.cause) return <span style={{ color: "var(--r-blocker)" }}>{run.cause.sentence}</span>;
  if (run.waits_for) return <>{run.waits_for}</>;
  if (run.superseded_by) return <>run {run.superseded_by} is newer</>;
  if (run.build) return <Link to={`/titles/${title}/builds/${run.build}`}>#{run.build}</Link>;
  if (run.silent) return <span style={{ color: "var(--r-warning)" }}>silent for {duration(run.silent)}</span>;
  if (run.step && !ENDED.has(run.state)) return <StepOf run={run} />;
  return null;
}

export function StepOf({ run }: { run: RunSummary }) {
  const share = run.progress != null ? `, ${Math.round(run.progress * 100)} %` : "";
  return (
    <>
      {run.step}{" "}
      <span className="dim">
        ({run.step_number} of {run.step_count}
        {share})
      </span>
    </>
  );
}

/** How far a run is: a bar over what is expected, with the time left. */
export function Progress({ run, heard }: { run: RunSummary; heard: number }) {
  const passed = usePassed(heard, ENDED.has(run.state) || run.state === "waiting");
  if (ENDED.has(run.state) || run.state === "waiting") return null;
  const left = run.left == null ? null : run.left - passed;
  const gone = run.seconds + passed;
  const share = left == null ? run.step_number / Math.max(1, run.step_count) : Math.min(1, gone / Math.max(0.1, gone + Math.max(0, left)));
  const said = left == null ? "it never ran before" : left > 0 ? `about ${duration(left)} left` : "longer than usual";
  return (
    <span style={{ display: "inline-flex", alignItems: "center", gap: 8, whiteSpace: "nowrap" }}>
      <span
        role="progressbar"
        aria-label={`Run ${run.number}`}
        aria-valuenow={Math.round(share * 100)}
        aria-valuemin={0}
        aria-valuemax={100}
        style={{ width: 90, height: 6, background: "var(--r-tread)", borderRadius: 2 }}
      >
        <span style={{ display: "block", height: 6, width: `${share * 100}%`, background: "var(--r-accent)", borderRadius: 2 }} />
      </span>
      <span className="dim" style={{ fontSize: 12.5 }}>
        {said}
      </span>
    </span>
  );
}
