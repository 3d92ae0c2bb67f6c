import { SegmentedControl, TextInput } from "@mantine/core";

export interface Moment {
  kind: "now" | "at" | "open";
  at: string;
}

export const NOW: Moment = { kind: "now", at: "" };

interface Props {
  when: Moment;
  set: (when: Moment) => void;
  /** The gates are closed now. */
  closed: boolean;
  /** It is about later: now is no choice. */
  never?: boolean;
}

/** Now, at a moment in this browser's zone, or when the channel's gates open. */
export function WhenToPlace({ when, set, closed, never }: Props) {
  const chosen = when.at ? new Date(when.at) : null;
  return (
    <div style={{ display: "flex", gap: 12, alignItems: "center", flexWrap: "wrap", margin: "4px 0" }}>
      <SegmentedControl
        aria-label="When"
        value={when.kind}
        onChange={(kind) => set({ ...when, kind: kind as Moment["kind"] })}
        data={[
          ...(never ? [] : [{ value: "now", label: "Now", disabled: closed }]),
          { value: "at", label: "At a moment" },
          { value: "open", label: "When its gates open" },
        ]}
      />
      {when.kind === "at" && (
        <>
          <TextInput
            aria-label="Moment"
            type="datetime-local"
            value={when.at}
            onChange={(e) => set({ ...when, at: e.currentTarget.value })}
          />
          {chosen && !Number.isNaN(chosen.getTime()) && (
            <span className="dim">{chosen.toISOString().slice(0, 16).replace("T", " ")} UTC</span>
          )}
        </>
      )}
    </div>
  );
}

/** As a call says it. */
export function momentBody(when: Moment): string | null {
  return when.kind === "at" && when.at ? new Date(when.at).toISOString() : null;
}
