import { capital } from "../../ui/format";
import type { Placement } from "./queries";

const SHAPES = { placed: "○", growing: "◐", held: "◫", whole: "◉", superseded: "", withdrawn: "" } as const;
const WORDS = { placed: "nobody yet", growing: "growing", held: "held", whole: "every device" } as const;

/** How far a placement is out: a shape, a word, a figure. */
export function Share({ placement }: { placement: Placement }) {
  const { state, share } = placement;
  if (state === "superseded" || state === "withdrawn") return <span>{capital(state)}</span>;
  const colour = state === "held" ? "var(--r-blocker)" : state === "whole" ? "var(--r-done)" : undefined;
  return (
    <b style={{ color: colour, whiteSpace: "nowrap" }}>
      <span aria-hidden>{SHAPES[state]}</span> {placement.beside ? "every other device" : WORDS[state]}
      {(state === "growing" || state === "held") && `, ${share} %`}
    </b>
  );
}
