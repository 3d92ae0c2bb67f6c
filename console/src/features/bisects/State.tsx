import type { BisectSummary } from "./queries";

const STATES = {
  working: { shape: "…", word: "working", colour: undefined },
  found: { shape: "◆", word: "found", colour: "var(--r-done)" },
  narrowed: { shape: "◇", word: "narrowed", colour: "var(--r-warning)" },
  refuted: { shape: "▲", word: "refuted", colour: "var(--r-warning)" },
  cancelled: { shape: "–", word: "cancelled", colour: "var(--mantine-color-dimmed)" },
} as const;

export function State({ state }: { state: BisectSummary["state"] }) {
  const { shape, word, colour } = STATES[state];
  return (
    <b style={{ color: colour, whiteSpace: "nowrap" }}>
      <span aria-hidden>{shape}</span> {word}
    </b>
  );
}
