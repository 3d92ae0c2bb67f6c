import { bytes } from "../../ui/format";
import type { Cost, Release } from "./queries";

const [WIDTH, HEIGHT, LEFT, ABOVE, FOOT] = [560, 170, 66, 8, 20];

/** Two bars a release: what it cost under its own rules, and under those that are tried. */
export function CostsPicture({ releases, what, of }: { releases: Release[]; what: string; of: (c: Cost) => number | null }) {
  const most = Math.max(1, ...releases.flatMap((r) => [of(r.own) ?? 0, of(r.ruled) ?? 0]));
  const step = (WIDTH - LEFT) / Math.max(1, releases.length);
  const wide = Math.min(22, (step - 6) / 2);
  const y = (size: number) => ABOVE + (HEIGHT - ABOVE) * (1 - size / most);
  return (
    <figure style={{ margin: 0 }}>
      <figcaption style={{ fontWeight: 600, fontSize: 13.5, marginBottom: 4 }}>{what}</figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT + FOOT}`}
        role="img"
        aria-label={`${what}, by release`}
        style={{ width: "100%", display: "block" }}
      >
        {[0, most / 2, most].map((size) => (
          <g key={size}>
            <line x1={LEFT} x2={WIDTH} y1={y(size)} y2={y(size)} stroke="var(--r-line)" />
            <text x={LEFT - 6} y={y(size) + 4} textAnchor="end" fontSize={11} fill="var(--mantine-color-dimmed)">
              {size ? bytes(Math.round(size)) : "0"}
            </text>
          </g>
        ))}
        {releases.map((release, n) => {
          const middle = LEFT + step * (n + 0.5);
          return (
            <g key={release.build}>
              {[release.own, release.ruled].map((cost, side) => {
                const size = of(cost) ?? 0;
                return (
                  <rect
                    key={side === 0 ? "own" : "ruled"}
                    x={middle + (side - 1) * (wide + 1)}
                    y={y(size)}
                    width={wide}
                    height={HEIGHT - y(size)}
                    rx={1.5}
                    fill={side ? "var(--r-accent)" : "var(--mantine-color-dimmed)"}
                    opacity={side ? 1 : 0.55}
                  >
                    <title>{`#${release.build}, ${side ? "under these rules" : "under its own rules"}: ${bytes(size)}`}</title>
                  </rect>
                );
              })}
              <text x={middle} y={HEIGHT + 15} textAnchor="middle" fontSize={11} fill="var(--mantine-color-dimmed)">
                #{release.build}
              </text>
            </g>
          );
        })}
      </svg>
    </figure>
  );
}
