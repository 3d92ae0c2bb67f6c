import { Select } from "@mantine/core";
import { useState } from "react";

import { plural } from "../../ui/format";
import type { CrashFrame, CrashGroup } from "./queries";

/** One stack of the group at a time; code that was inlined stands in lines of its own. */
export function Stacks({ stacks }: { stacks: CrashGroup["stacks"] }) {
  const [shown, show] = useState(0);
  const stack = stacks[Math.min(shown, stacks.length - 1)];
  if (!stack) return <p style={{ padding: "0 14px" }}>No stack is kept.</p>;
  return (
    <>
      {stacks.length > 1 && (
        <div style={{ padding: "10px 14px" }}>
          <Select
            aria-label="Stack"
            size="xs"
            w={280}
            allowDeselect={false}
            data={stacks.map((s, i) => ({
              value: String(i),
              label: `Stack ${i + 1}, ${plural(s.crashes, "crash", "crashes")}, most in ${s.build}`,
            }))}
            value={String(shown)}
            onChange={(v) => show(Number(v))}
          />
        </div>
      )}
      <table className="rows">
        <thead>
          <tr>
            <th className="number">Frame</th>
            <th>Function</th>
            <th>File and line</th>
            <th className="wide">Module and address</th>
          </tr>
        </thead>
        <tbody>{stack.frames.flatMap((frame, i) => rows(frame, i))}</tbody>
      </table>
    </>
  );
}

function rows(frame: CrashFrame, number: number) {
  const module = (
    <span className="mono dim">
      {frame.module} 0x{frame.address}
    </span>
  );
  if (!frame.places.length) {
    return [
      <tr key={number}>
        <td className="number dim">{number}</td>
        <td className="dim">no symbols kept</td>
        <td />
        <td className="wide">{module}</td>
      </tr>,
    ];
  }
  return frame.places.map((place, i) => {
    const last = i === frame.places.length - 1;
    return (
      <tr key={`${number} ${i}`}>
        <td className="number dim">{i === 0 ? number : ""}</td>
        <td>
          {number === 0 && i === 0 ? <b>{place.function}</b> : place.function} {!last && <span className="dim">inlined</span>}
        </td>
        <td className="mono path">
          {place.file}
          {place.line > 0 && `:${place.line}`}
        </td>
        <td className="wide">{last && module}</td>
      </tr>
    );
  });
}
