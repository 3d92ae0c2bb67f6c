import type { ReleaseLine } from "./queries";

const SHOWN: Record<ReleaseLine["state"], { shape: string; word: string; colour?: string }> = {
  ready: { shape: "○", word: "ready", colour: "var(--r-done)" },
  "left-out": { shape: "◇", word: "left out", colour: "var(--r-warning)" },
  making: { shape: "◐", word: "making" },
  failed: { shape: "■", word: "failed", colour: "var(--r-blocker)" },
  lags: { shape: "▲", word: "lags", colour: "var(--r-warning)" },
};

export function LineState({ state }: { state: ReleaseLine["state"] }) {
  const { shape, word, colour } = SHOWN[state];
  return (
    <b style={{ color: colour }}>
      <span aria-hidden>{shape}</span> {word}
    </b>
  );
}
