import { SegmentedControl } from "@mantine/core";

import type { Rules } from "./queries";
import type { DraftInHand } from "./useListingDraft";

/** The questionnaire. Whoever affirms it later reads the same words. */
export function RatingPart({ hand, rules }: { hand: DraftInHand; rules: Rules }) {
  return (
    <div style={{ padding: "12px 14px", display: "grid", gap: 16 }}>
      <span className="dim">
        One set of answers for every storefront; each makes its own rating of them. Once they are saved, somebody affirms them by name.
      </span>
      {rules.questions.map((q) => {
        const answer = hand.get("listing.toml", ["rating", q.name]);
        return (
          <fieldset key={q.name} style={{ border: 0, padding: 0, margin: 0 }}>
            <legend style={{ fontWeight: 600, fontSize: 13.5, marginBottom: 4 }}>
              {q.text} {!answer && <span className="severity blocker">■ open</span>}
            </legend>
            <SegmentedControl
              size="xs"
              orientation="horizontal"
              style={{ flexWrap: "wrap", maxWidth: "100%" }}
              aria-label={q.text}
              value={answer}
              onChange={(v) => hand.set("listing.toml", ["rating", q.name], v)}
              data={Object.entries(q.answers).map(([value, label]) => ({ value, label }))}
            />
          </fieldset>
        );
      })}
    </div>
  );
}
