import { Button } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { ApiError, call, type Schemas } from "../../app/http";
import { bytes, plural } from "../../ui/format";
import { Answer, Failure, PageHead, Panel, When } from "../../ui/parts";

type Usage = Schemas["UsageOut"];
type Check = Schemas["StoreCheckOut"];

function kept(p: Schemas["KeptForPlayers"]): string {
  if (p.live_on.length) return `live on ${p.live_on.join(", ")}`;
  return p.until ? `until ${new Date(p.until).toLocaleDateString("en-GB")}` : "asked for by hand";
}

/** What does the content store hold, and is it whole? */
export function StorePage() {
  const found = useQuery({ queryKey: ["store"], queryFn: () => call<Usage>("/store") });
  return (
    <>
      <PageHead title="Content store">
        {found.data &&
          `${bytes(found.data.size)} in ${plural(found.data.packs, "pack")}; ${bytes(found.data.needed)} of it is needed, ${bytes(found.data.condemned)} is condemned and goes soon.`}
      </PageHead>
      <div className="halves" style={{ marginTop: 0 }}>
        <Panel title="By title" flush>
          <Answer of={found} rows={3}>
            {(u) => (
              <Lines
                rows={[
                  ...u.titles.map((t) => ({ name: `${t.name} · ${plural(t.builds, "build")}`, size: t.size })),
                  { name: "differences for updates", size: u.differences },
                  { name: "what only past builds have, packed again", size: u.past },
                  ...(u.players ?? []).map((p) => ({ name: `packs for players of ${p.name} · ${kept(p)}`, size: p.size })),
                ]}
                most={u.size}
              />
            )}
          </Answer>
        </Panel>
        <Panel title="What is live" flush>
          <Answer of={found} rows={3}>
            {(u) =>
              u.channels.length ? <Lines rows={u.channels} most={u.size} /> : <div style={{ padding: 14 }}>Nothing is live yet.</div>
            }
          </Answer>
        </Panel>
      </div>
      <div className="halves">
        <Panel title="Growth">
          <Answer of={found} rows={4}>
            {(u) => <Growth points={u.growth} />}
          </Answer>
        </Panel>
        <Panel title="By age" flush>
          <Answer of={found} rows={5}>
            {(u) => <Lines rows={u.ages.map((a) => ({ name: `${a.name} · ${plural(a.packs, "pack")}`, size: a.size }))} most={u.size} />}
          </Answer>
        </Panel>
      </div>
      <div style={{ marginTop: 16 }}>
        <Whole />
      </div>
    </>
  );
}

function Lines({ rows, most }: { rows: { name: string; size: number }[]; most: number }) {
  return (
    <table className="rows">
      <tbody>
        {rows.map((r) => (
          <tr key={r.name}>
            <td>{r.name}</td>
            <td style={{ width: "28%" }} aria-hidden>
              <div
                style={{
                  height: 9,
                  borderRadius: 2,
                  background: "var(--r-accent)",
                  width: r.size ? `${Math.max(1, (100 * r.size) / Math.max(1, most))}%` : 0,
                }}
              />
            </td>
            <td className="number">{bytes(r.size)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const [WIDE, HIGH, AXIS, ABOVE] = [460, 150, 66, 10];

function Growth({ points }: { points: Schemas["GrowthPoint"][] }) {
  const most = Math.max(1, ...points.map((p) => p.size));
  const last = points.at(-1);
  const step = (WIDE - AXIS) / Math.max(1, points.length);
  return (
    <figure style={{ margin: 0 }}>
      <svg
        viewBox={`0 0 ${WIDE} ${HIGH}`}
        role="img"
        aria-label={`Growth: ${last ? bytes(last.size) : "nothing"} today`}
        style={{ width: "100%", display: "block" }}
      >
        {[most, most / 2, 0].map((size) => {
          const y = HIGH - 0.5 - (HIGH - ABOVE) * (size / most);
          return (
            <g key={size}>
              <line x1={AXIS} y1={y} x2={WIDE} y2={y} stroke="currentColor" strokeOpacity={size ? 0.12 : 0.3} />
              <text x={AXIS - 5} y={y} textAnchor="end" dominantBaseline={size ? "central" : "auto"} fontSize={11} fill="currentColor">
                {size ? bytes(Math.round(size)) : "0"}
              </text>
            </g>
          );
        })}
        {points.map((p, i) => {
          const high = (HIGH - ABOVE) * (p.size / most);
          return (
            <rect
              key={p.day}
              x={AXIS + i * step + 1}
              y={HIGH - high}
              width={Math.max(1, Math.min(40, step - 2))}
              height={high}
              rx={1.5}
              fill="var(--r-accent)"
            >
              <title>{`${p.day}: ${bytes(p.size)}`}</title>
            </rect>
          );
        })}
      </svg>
      <figcaption className="dim">
        {points[0]?.day} to {last?.day}, at each day&apos;s end; today {last ? bytes(last.size) : "nothing"}. Only what is still there is
        counted.
      </figcaption>
    </figure>
  );
}

function Whole() {
  const queries = useQueryClient();
  const latest = useQuery({
    queryKey: ["store", "check"],
    queryFn: () => call<Check>("/store/check"),
    retry: false,
    refetchInterval: (q) => (q.state.data?.state === "running" ? 1000 : false),
  });
  const start = useMutation({
    mutationFn: () => call<Check>("/store/check", { method: "POST", body: { fix: false } }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["store", "check"] }),
  });
  const c = latest.data;
  const never = latest.error instanceof ApiError;
  return (
    <Panel
      title="Is it whole?"
      aside={
        <Button size="compact-sm" variant="default" loading={start.isPending || c?.state === "running"} onClick={() => start.mutate()}>
          Check every pack
        </Button>
      }
    >
      {start.error && <Failure error={start.error} />}
      {never && !c && "It was never checked. A check reads every pack and every manifest, and goes on after any interruption."}
      {c && (
        <>
          <p style={{ marginTop: 0 }}>
            {c.state === "running" ? "Checking" : c.state === "done" ? "Checked" : "Cancelled"}: {c.packs_done.toLocaleString("en")} of{" "}
            {plural(c.packs, "pack")}, {bytes(c.size_done)} of {bytes(c.size)}, asked for by {c.asked_by} <When at={c.started_at} />.{" "}
            {c.problems.length === 0 ? (
              "Everything is as it was written."
            ) : (
              <strong style={{ color: "var(--r-blocker)" }}>■ {plural(c.problems.length, "problem")}</strong>
            )}
          </p>
          {c.problems.map((p) => (
            <div className="finding" key={p.name}>
              <span className="severity blocker">
                <span aria-hidden>■</span> {p.what}
              </span>
              <div>
                {p.name.slice(0, 24)}: {p.problem}.{" "}
                <span className="dim">
                  {p.builds.length ? `It hurts ${p.builds.join(", ")}. ` : ""}
                  {p.advice}
                </span>
              </div>
            </div>
          ))}
        </>
      )}
    </Panel>
  );
}
