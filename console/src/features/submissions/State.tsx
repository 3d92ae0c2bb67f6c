import { capital } from "../../ui/format";
import type { SubmissionRow } from "./queries";

const GOOD = ["passed", "partly-live", "live"];
const WAITS = ["question", "refused", "lost"];

/** Where a submission is: a shape beside the words, and how many wait before it. */
export function State({ of }: { of: SubmissionRow }) {
  const state = of.course === "there" ? (of.state ?? "") : of.course;
  const [mark, kind] = of.over
    ? ["–", "dim"]
    : WAITS.includes(state) || state === "halted" || state === "by-hand"
      ? ["■", "severity blocker"]
      : GOOD.includes(state)
        ? ["✓", "came"]
        : ["●", "severity note"];
  const more = [
    of.ahead === null ? "" : of.ahead ? `${of.ahead} ahead` : "next",
    state === "partly-live" ? `${of.share} % of the players` : "",
    of.held ? "held" : "",
  ].filter(Boolean);
  return (
    <span>
      <span className={kind}>
        <span aria-hidden>{mark}</span> {capital(of.words)}
      </span>
      {more.length > 0 && <span className="dim"> {more.join(", ")}</span>}
    </span>
  );
}
