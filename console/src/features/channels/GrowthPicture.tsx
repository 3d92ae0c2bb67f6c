import { exact } from "../../ui/format";
import type { Rollout } from "./queries";

const WIDTH = 560;
const HEIGHT = 190;
const LEFT = 44;
const BOTTOM = 24;
const TOP = 10;

interface Step {
  at: number;
  share: number;
}

/** What it was, drawn whole; the plan's next step, dashed. The table below has the figures. */
export function GrowthPicture({ rollout }: { rollout: Rollout }) {
  const past = rollout.changes.map((c) => ({ at: Date.parse(c.at), share: c.share }));
  const first = past[0]?.at ?? Date.parse(rollout.placed_at);
  const until = rollout.ended_at ? Date.parse(rollout.ended_at) : Date.now();
  const next = rollout.next_at && rollout.next_share ? { at: Date.parse(rollout.next_at), share: rollout.next_share } : null;
  const end = Math.max(until, next?.at ?? 0, first + 60_000);
  const x = (at: number) => LEFT + ((at - first) / (end - first)) * (WIDTH - LEFT - 8);
  const y = (share: number) => TOP + (1 - share / 100) * (HEIGHT - TOP - BOTTOM);
  const last = past.at(-1)?.share ?? 0;
  const said = `From 0 % ${exact(rollout.placed_at)} to ${last} % now${next ? `, ${next.share} % ${exact(rollout.next_at ?? "")}` : ""}`;
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="img" aria-label={said} style={{ width: "100%", height: "auto", display: "block" }}>
      {[0, 25, 50, 75, 100].map((share) => (
        <g key={share}>
          <line x1={LEFT} x2={WIDTH - 8} y1={y(share)} y2={y(share)} stroke="var(--r-line)" />
          <text x={LEFT - 6} y={y(share) + 4} textAnchor="end" fontSize={11} fill="var(--mantine-color-dimmed)">
            {share} %
          </text>
        </g>
      ))}
      <text x={LEFT} y={HEIGHT - 6} fontSize={11} fill="var(--mantine-color-dimmed)">
        {short(first)}
      </text>
      <text x={WIDTH - 8} y={HEIGHT - 6} textAnchor="end" fontSize={11} fill="var(--mantine-color-dimmed)">
        {end > until + 1000 ? short(end) : "now"}
      </text>
      <polyline points={stepped(past, until, x, y)} fill="none" stroke="var(--r-accent)" strokeWidth={2.5} />
      {next && (
        <polyline
          points={`${x(until)},${y(last)} ${x(next.at)},${y(last)} ${x(next.at)},${y(next.share)}`}
          fill="none"
          stroke="var(--r-accent)"
          strokeWidth={1.5}
          strokeDasharray="4 4"
        />
      )}
    </svg>
  );
}

function stepped(steps: Step[], until: number, x: (at: number) => number, y: (share: number) => number): string {
  const points: string[] = [];
  let share = 0;
  for (const step of steps) {
    points.push(`${x(step.at)},${y(share)}`, `${x(step.at)},${y(step.share)}`);
    share = step.share;
  }
  return [...points, `${x(until)},${y(share)}`].join(" ");
}

function short(at: number): string {
  return new Date(at).toLocaleString("en-GB", { weekday: "short", hour: "2-digit", minute: "2-digit" });
}
