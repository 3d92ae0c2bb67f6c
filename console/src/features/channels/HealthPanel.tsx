import { Button } from "@mantine/core";
import { useState } from "react";
import { Link } from "react-router";

import { plural } from "../../ui/format";
import { Answer, Panel, When } from "../../ui/parts";
import { CrashRows } from "../crashes/CrashRows";
import { type Health, useHealth } from "./queries";

const VERDICTS = {
  worse: { shape: "■", word: "worse", colour: "var(--r-blocker)" },
  "in-order": { shape: "○", word: "in order", colour: "var(--r-done)" },
  "too-little-to-tell": { shape: "…", word: "too little to tell", colour: undefined },
} as const;
const WHAT = { session: "sessions that crash", launch: "launches that fail", install: "installs that fail" } as const;

/** Is it worse than the build before, on which devices, and how sure is that? */
export function HealthPanel({ title, channel, number, build }: { title: string; channel: string; number: number; build: number }) {
  const health = useHealth(title, channel, number);
  return (
    <>
      <Panel title="Health" aside={health.data && <Who health={health.data} />} flush>
        <Answer of={health}>{(data) => <Body health={data} />}</Answer>
      </Panel>
      {health.data && health.data.crashes.length > 0 && (
        <div style={{ marginTop: 16 }}>
          <Panel title="Where it crashes" aside={<Link to={`/titles/${title}/crashes?build=${build}`}>All crashes of #{build}</Link>} flush>
            <CrashRows title={title} crashes={health.data.crashes} />
          </Panel>
        </div>
      )}
    </>
  );
}

function Who({ health }: { health: Health }) {
  return (
    <>
      {plural(health.devices, "device")} reported
      {health.simulated > 0 && `, ${health.simulated === health.devices ? "all" : health.simulated} simulated`}, since{" "}
      <When at={health.since} />
      {health.before && `; beside ${health.before}, same hours`}
    </>
  );
}

export function Verdict({ verdict }: { verdict: Health["verdict"] }) {
  const { shape, word, colour } = VERDICTS[verdict];
  return (
    <b style={{ color: colour, whiteSpace: "nowrap" }}>
      <span aria-hidden>{shape}</span> {word}
    </b>
  );
}

function Body({ health }: { health: Health }) {
  const [all, showAll] = useState(false);
  const telling = health.rows.filter((row) => row.verdict === "worse" || !row.part);
  const rows = all ? health.rows : telling;
  return (
    <>
      <div style={{ padding: "10px 14px" }}>
        <Verdict verdict={health.verdict} />: {health.said}.{" "}
        <span className="dim">
          A build as good as the one before is called worse in at most {percent(health.error)} of rollouts, however often one looks.
        </span>
      </div>
      {rows.length > 0 && (
        <table className="rows">
          <thead>
            <tr>
              <th>Verdict</th>
              <th>What</th>
              <th>Devices</th>
              <th className="number">With it</th>
              <th className="number wide">Not ruled out</th>
              <th className="number">Before</th>
              <th className="number wide">Not ruled out</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={`${row.part} ${row.name} ${row.trouble}`}>
                <td className="tight">
                  <Verdict verdict={row.verdict} />
                </td>
                <td>{WHAT[row.trouble]}</td>
                <td>{row.part ? `${row.part} ${row.name}` : "all"}</td>
                <td className="number">
                  {percent(row.rate)} <span className="dim">of {row.total.toLocaleString("en")}</span>
                </td>
                <td className="number wide dim">
                  {percent(row.low)} to {percent(row.high)}
                </td>
                <td className="number">
                  {row.before_total ? (
                    <>
                      {percent(row.before_rate)} <span className="dim">of {row.before_total.toLocaleString("en")}</span>
                    </>
                  ) : (
                    <span className="dim">none</span>
                  )}
                </td>
                <td className="number wide dim">
                  {percent(row.before_low)} to {percent(row.before_high)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {telling.length < health.rows.length && (
        <div style={{ padding: "6px 14px 10px" }}>
          <Button size="compact-sm" variant="default" onClick={() => showAll(!all)}>
            {all ? "Only what tells something" : `By class and level: ${plural(health.rows.length - telling.length, "more question")}`}
          </Button>
        </div>
      )}
    </>
  );
}

function percent(share: number): string {
  return `${(100 * share).toFixed(share > 0 && share < 0.0995 ? 1 : 0)} %`;
}
