import { NumberInput, SegmentedControl, TextInput } from "@mantine/core";

import { PLAN } from "./RolloutActs";

export interface Extent {
  kind: "all" | "part" | "plan";
  share: number;
  plan: string;
}

export const EVERY: Extent = { kind: "all", share: 5, plan: PLAN };

/** Every device at once, a part that grows by hand, or a plan. */
export function WhoGetsIt({ extent, set }: { extent: Extent; set: (extent: Extent) => void }) {
  return (
    <div style={{ display: "flex", gap: 12, alignItems: "center", flexWrap: "wrap", margin: "10px 0 4px" }}>
      <SegmentedControl
        aria-label="Who gets it"
        value={extent.kind}
        onChange={(kind) => set({ ...extent, kind: kind as Extent["kind"] })}
        data={[
          { value: "all", label: "Every device" },
          { value: "part", label: "A part of them" },
          { value: "plan", label: "By a plan" },
        ]}
      />
      {extent.kind === "part" && (
        <NumberInput
          aria-label="Share at first"
          suffix=" % of the devices at first"
          w={230}
          min={0}
          max={100}
          decimalScale={1}
          value={extent.share}
          onChange={(share) => set({ ...extent, share: Number(share) || 0 })}
        />
      )}
      {extent.kind === "plan" && (
        <TextInput
          aria-label="Plan"
          style={{ flex: 1, minWidth: 300 }}
          value={extent.plan}
          onChange={(e) => set({ ...extent, plan: e.currentTarget.value })}
        />
      )}
    </div>
  );
}

/** As a call says it. */
export function extentBody(extent: Extent): { share?: number; plan?: string } {
  if (extent.kind === "part") return { share: extent.share };
  return extent.kind === "plan" ? { plan: extent.plan } : {};
}
