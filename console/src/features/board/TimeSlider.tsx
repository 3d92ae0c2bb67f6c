import { Button, Slider } from "@mantine/core";
import { useMemo, useState } from "react";

import { exact } from "../../ui/format";
import type { BoardChange } from "./queries";

interface Props {
  changes: BoardChange[];
  at: string;
  go: (at: string) => void;
}

/** Walks through the moments at which something changed, back and forth; the last stop is now. */
export function TimeSlider({ changes, at, go }: Props) {
  // The moments that were known when the page came: those that the past itself lists end there.
  const [known] = useState(() => [...new Set(changes.map((c) => c.at))].sort());
  const moments = useMemo(() => [...new Set([...known, ...changes.map((c) => c.at), ...(at ? [at] : [])])].sort(), [known, changes, at]);
  const last = moments.length;
  const place = at ? moments.indexOf(at) : last;
  const [held, hold] = useState<number | null>(null);
  if (last === 0) return null;
  const shown = held ?? place;
  return (
    <div className="board-time">
      <Slider
        aria-label="Moment"
        thumbLabel={shown === last ? "Now" : exact(moments[shown] ?? "")}
        min={0}
        max={last}
        value={shown}
        onChange={hold}
        onChangeEnd={(value) => {
          hold(null);
          go(value === last ? "" : (moments[value] ?? ""));
        }}
        label={(value) => (value === last ? "now" : exact(moments[value] ?? ""))}
        style={{ flex: 1 }}
      />
      <Button size="compact-sm" variant="default" disabled={!at} onClick={() => go("")}>
        Now
      </Button>
    </div>
  );
}
