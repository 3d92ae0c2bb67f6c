import { Link } from "react-router";

import { bytes, duration } from "../../ui/format";
import { Digest } from "../../ui/parts";
import type { Bisect, BisectCommit } from "./queries";

const MARKS = {
  good: { shape: "○", word: "good", colour: "var(--r-done)" },
  bad: { shape: "■", word: "bad", colour: "var(--r-blocker)" },
  untold: { shape: "◇", word: "cannot be told", colour: "var(--r-warning)" },
  waiting: { shape: "…", word: "being tried", colour: undefined },
} as const;
/** So many commits that can still be it are shown; of more, only those that were tried. */
const FEW = 24;

/** The line of commits, oldest first: what each try came to, and what can still be it. */
export function CommitRows({ bisect }: { bisect: Bisect }) {
  const measured = bisect.items.some((c) => c.value !== null);
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Commit</th>
          <th>Is</th>
          {measured && <th className="number">Measured</th>}
          <th>Subject</th>
          <th className="wide">Run</th>
        </tr>
      </thead>
      <tbody>
        {near(bisect).map((c, i) =>
          c ? (
            <tr
              key={c.commit}
              style={{ fontWeight: bisect.found?.commit === c.commit ? 600 : undefined }}
              className={c.inside ? "" : "dim"}
            >
              <td className="tight">
                <Digest value={c.commit} what="commit" length={10} />
              </td>
              <td className="tight">{c.state ? <Mark state={c.state} /> : <span className="dim">{c.inside ? "can be it" : ""}</span>}</td>
              {measured && <td className="number">{c.value !== null && value(bisect, c.value)}</td>}
              <td>
                {c.subject || <span className="dim">the good end</span>}
                {c.said && <div className="dim">{c.said}</div>}
              </td>
              <td className="wide tight">
                {c.run > 0 && <Link to={`/titles/${bisect.title}/runs/${c.run}`}>run {c.run}</Link>}{" "}
                {c.again && <span className="dim">known already</span>}
              </td>
            </tr>
          ) : (
            <tr key={`gap ${i}`}>
              <td colSpan={measured ? 5 : 4} className="dim">
                …
              </td>
            </tr>
          ),
        )}
      </tbody>
    </table>
  );
}

function near(bisect: Bisect): (BisectCommit | null)[] {
  const few = bisect.left <= FEW;
  const rows: (BisectCommit | null)[] = [];
  for (const c of bisect.items) {
    if (c.state || (few && c.inside)) rows.push(c);
    else if (rows.length && rows[rows.length - 1]) rows.push(null);
  }
  return rows;
}

function Mark({ state }: { state: NonNullable<BisectCommit["state"]> }) {
  const { shape, word, colour } = MARKS[state];
  return (
    <b style={{ color: colour }}>
      <span aria-hidden>{shape}</span> {word}
    </b>
  );
}

function value(bisect: Bisect, measured: number): string {
  return bisect.by === "step-time" ? duration(measured) : bytes(measured);
}
