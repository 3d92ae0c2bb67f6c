import { Button, Slider } from "@mantine/core";
import { useMemo, useState } from "react";

import { exact } from "../../ui/format";
import "./board.css";
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
  // What the hand is at; the page follows when it lets go, and a second step must not begin from where the page still is.
  const [held, hold] = useState(at);
  if (last === 0) return null;
  const shown = held ? Math.max(0, moments.indexOf(held)) : last;
  const momentOf = (value: number) => (value === last ? "" : (moments[value] ?? ""));
  return (
    <div className="board-time">
      <Slider
        aria-label="Moment"
        thumbLabel={shown === last ? "Now" : exact(moments[shown] ?? "")}
        min={0}
        max={last}
        value={shown}
        onChange={(value) => hold(momentOf(value))}
        onChangeEnd={(value) => go(momentOf(value))}
        label={(value) => (value === last ? "now" : exact(moments[value] ?? ""))}
        style={{ flex: 1 }}
      />
      <Button
        size="compact-sm"
        variant="default"
        disabled={!at}
        onClick={() => {
          hold("");
          go("");
        }}
      >
        Now
      </Button>
    </div>
  );
}
