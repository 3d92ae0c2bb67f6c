import { Button, TextInput } from "@mantine/core";
import { useEffect, useState } from "react";

import type { Edit } from "./queries";

type Pair = [string, string];

/** A table of names and texts: a line each, and an empty one for the next. Sent when a line is left. */
export function Entries({
  label,
  own,
  set,
}: {
  label: string;
  own: Record<string, string> | undefined;
  set: (value: Edit["value"]) => void;
}) {
  const [pairs, setPairs] = useState<Pair[]>(Object.entries(own ?? {}));
  const text = JSON.stringify(own ?? {});
  useEffect(() => setPairs(Object.entries(JSON.parse(text) as Record<string, string>)), [text]);
  const change = (at: number, pair: Pair) => setPairs([...pairs.slice(0, at), pair, ...pairs.slice(at + 1)]);
  const send = (next: Pair[]) => {
    const whole = next.filter(([name, value]) => name && value);
    const table = Object.fromEntries(whole);
    if (JSON.stringify(table) !== text) set(whole.length ? table : null);
  };
  return (
    <div style={{ display: "grid", gap: 4 }}>
      {[...pairs, ["", ""] as Pair].map(([name, value], at) => (
        <div key={at} style={{ display: "flex", gap: 6 }}>
          <TextInput
            size="xs"
            w={130}
            aria-label={`${label}: name ${at + 1}`}
            placeholder="name"
            value={name}
            onChange={(e) => change(at, [e.currentTarget.value, value])}
            onBlur={() => send(pairs)}
          />
          <TextInput
            size="xs"
            style={{ flex: 1 }}
            aria-label={`${label}: text ${at + 1}`}
            placeholder="text"
            value={value}
            onChange={(e) => change(at, [name, e.currentTarget.value])}
            onBlur={() => send(pairs)}
          />
          {at < pairs.length && (
            <Button
              size="compact-xs"
              variant="subtle"
              aria-label={`Take out ${name}`}
              onClick={() => send(pairs.filter((_, i) => i !== at))}
            >
              ×
            </Button>
          )}
        </div>
      ))}
    </div>
  );
}
