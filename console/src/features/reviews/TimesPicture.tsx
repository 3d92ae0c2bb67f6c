import { duration } from "../../ui/format";
import type { Week } from "./queries";

const HEIGHT = 150;
const WIDTH = 720;
const LEFT = 64;
const FOOT = 34;

/** Each week's middle half as a bar with its middle as a line; how many verdicts, and how many of them late, below it. */
export function TimesPicture({ weeks }: { weeks: Week[] }) {
  const most = Math.max(...weeks.map((w) => w.usual?.high ?? 0), 60);
  const step = Math.min(90, (WIDTH - LEFT) / weeks.length);
  const y = (seconds: number) => 8 + (HEIGHT - 8) * (1 - seconds / most);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT + FOOT}`}
      style={{ width: "100%", maxWidth: WIDTH, height: "auto" }}
      role="img"
      aria-label="Time to the first verdict, by week"
    >
      {[0, most / 2, most].map((seconds) => (
        <g key={seconds}>
          <line x1={LEFT} x2={WIDTH} y1={y(seconds)} y2={y(seconds)} stroke="var(--r-line)" />
          <text x={LEFT - 8} y={y(seconds) + 4} textAnchor="end" fontSize={11} fill="var(--mantine-color-dimmed)">
            {seconds ? duration(seconds) : "0"}
          </text>
        </g>
      ))}
      {weeks.map((week, n) => {
        const x = LEFT + 10 + n * step;
        const wide = Math.max(10, step - 24);
        return (
          <g key={week.monday}>
            {week.usual && (
              <>
                <rect
                  x={x}
                  y={y(week.usual.high)}
                  width={wide}
                  height={Math.max(2, y(week.usual.low) - y(week.usual.high))}
                  fill="var(--r-accent)"
                  opacity={0.35}
                  rx={2}
                />
                <line x1={x} x2={x + wide} y1={y(week.usual.median)} y2={y(week.usual.median)} stroke="var(--r-accent)" strokeWidth={2} />
              </>
            )}
            <text x={x} y={HEIGHT + 16} fontSize={11} fill="var(--mantine-color-dimmed)">
              {week.monday.slice(5)}
            </text>
            <text x={x} y={HEIGHT + 29} fontSize={11} fill={week.late ? "var(--r-warning)" : "var(--mantine-color-dimmed)"}>
              {week.count}
              {week.late ? `, ${week.late} late` : ""}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
