import { SegmentedControl, Select, Table } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { Fragment, useMemo } from "react";
import { Link, useParams, useSearchParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { bytes, duration, plural } from "../../ui/format";
import { Answer, Empty, PageHead, Panel } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { DepotPanels } from "./DepotPanels";
import "./updates.css";

type Matrix = Schemas["UpdateMatrix"];
type Cell = Schemas["MatrixCell"];

const SHOWN: Record<string, { label: string; of: (c: Cell) => number }> = {
  download: { label: "Download", of: (c) => c.download },
  disk: { label: "Disk writes", of: (c) => c.written },
  peak: { label: "Peak disk", of: (c) => c.peak_disk },
  all: { label: "All devices", of: (c) => c.weighted },
};

/** What does every update cost the players who get it? */
export function UpdatesPage() {
  const { title = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const platform = search.get("platform") ?? "linux";
  const show = search.get("show") ?? "download";
  const rate = search.get("rate") ?? "50";
  const [old, new_] = [Number(search.get("from") ?? 0), Number(search.get("to") ?? 0)];
  const set = (more: Record<string, string>) => setSearch((was) => ({ ...Object.fromEntries(was), ...more }), { replace: true });
  const platforms = useQuery({
    queryKey: ["platforms-built", title],
    queryFn: () => call<Schemas["Page_BuildSummary_"]>(`/titles/${title}/builds?state=ready&limit=100`),
  });
  const names = useMemo(() => [...new Set(["linux", ...(platforms.data?.items.map((b) => b.platform) ?? [])])], [platforms.data]);
  const { data: described } = useTitle(title);
  const labels = new Map(described?.profiles.map((p) => [p.platform, p.platform_title]));
  const found = useQuery({
    queryKey: ["matrix", title, platform],
    queryFn: () => call<Matrix>(`/titles/${title}/updates/matrix?platform=${platform}`),
  });
  return (
    <>
      <PageHead
        title="Update cost"
        aside={
          <Select
            aria-label="Platform"
            size="xs"
            w={140}
            allowDeselect={false}
            data={names.map((name) => ({ value: name, label: labels.get(name) ?? name }))}
            value={platform}
            onChange={(v) => v && set({ platform: v })}
          />
        }
      >
        Rows: what players have. Columns: what they get. Exact to the byte for a device whose files are untouched.{" "}
        <Link to={`/titles/${title}/replays`}>Replay past releases under other rules</Link>
      </PageHead>
      <Panel
        title="Builds by builds"
        aside={
          <div style={{ display: "flex", gap: 8, flexWrap: "wrap" }}>
            <SegmentedControl
              aria-label="Figure"
              size="xs"
              data={Object.entries(SHOWN).map(([value, { label }]) => ({ value, label }))}
              value={show}
              onChange={(v) => set({ show: v })}
            />
            <SegmentedControl
              aria-label="Connection"
              size="xs"
              data={["10", "50", "200"].map((v) => ({ value: v, label: `${v} Mbit/s` }))}
              value={rate}
              onChange={(v) => set({ rate: v })}
            />
          </div>
        }
        flush
      >
        <Answer of={found} rows={8}>
          {(m) =>
            m.builds.length ? (
              <Heat m={m} show={show} rate={rate} at={[old, new_]} pick={(o, n) => set({ from: String(o), to: String(n) })} title={title} />
            ) : (
              <Empty command="bin/rampa build create">There is no ready build for {platform} yet.</Empty>
            )
          }
        </Answer>
      </Panel>
      {old > 0 && new_ > 0 && <DepotPanels title={title} old={old} new_={new_} />}
    </>
  );
}

function Heat({
  m,
  show,
  rate,
  at,
  pick,
  title,
}: {
  m: Matrix;
  show: string;
  rate: string;
  at: [number, number];
  pick: (old: number, new_: number) => void;
  title: string;
}) {
  const of = (SHOWN[show] ?? SHOWN.download!).of;
  const cells = new Map(m.cells.map((c) => [`${c.old} ${c.new}`, c]));
  const most = Math.max(1, ...m.cells.filter((c) => c.old).map(of));
  const rows = [{ number: 0, name: "nothing", live_on: [] as string[], devices: 0, version_name: "" }, ...m.builds].filter((r) =>
    m.cells.some((c) => c.old === r.number),
  );
  return (
    <div className="heat-scroll">
      <Table className="heat" withRowBorders={false}>
        <thead>
          <tr>
            <th scope="col">They have</th>
            <th scope="col" className="number">
              Devices
            </th>
            {m.builds.map((b) => (
              <th key={b.number} scope="col" className="number">
                <Link to={`/titles/${title}/builds/${b.number}`}>#{b.number}</Link>
                <div className="dim">{b.version_name}</div>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.number}>
              <th scope="row">
                {row.number ? `#${row.number}` : "nothing"}{" "}
                <span className="dim">{row.live_on.length ? `live on ${row.live_on.join(", ")}` : row.version_name}</span>
              </th>
              <td className="number">{row.number ? row.devices.toLocaleString("en") : ""}</td>
              {m.builds.map((b) => {
                const cell = cells.get(`${row.number} ${b.number}`);
                if (!cell) return <td key={b.number} className="none" />;
                const step = row.number ? Math.min(4, Math.floor((5 * of(cell)) / most)) : -1;
                const saved = cell.plain > cell.download ? `${bytes(cell.plain)} as small frames` : "small frames";
                const made = cell.making?.length ? `; ${cell.making.join(" and ")} still made` : "";
                return (
                  <td
                    key={b.number}
                    className={step < 0 ? "fresh" : `step${step}`}
                    data-picked={row.number === at[0] && b.number === at[1]}
                  >
                    <button
                      type="button"
                      disabled={!row.number}
                      onClick={() => pick(row.number, b.number)}
                      title={`${bytes(cell.download)} travel; ${saved}; ${bytes(cell.written)} written; at most ${bytes(cell.peak_disk)} on the disk${made}`}
                    >
                      <span>
                        {bytes(of(cell))}
                        {made && "…"}
                      </span>
                      <small>{duration(cell.seconds[rate] ?? 0)}</small>
                    </button>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </Table>
      <p className="dim heat-legend">
        Each cell: {(SHOWN[show] ?? SHOWN.download!).label.toLowerCase()}, and the download&apos;s time at {rate} Mbit/s.{" "}
        {m.cells.some((c) => c.making?.length) && "… what makes it smaller is still made. "}
        {[0, 1, 2, 3, 4].map((n) => (
          <Fragment key={n}>
            <span className={`shade step${n}`} aria-hidden />
          </Fragment>
        ))}{" "}
        up to {bytes(most)}.{" "}
        {plural(
          m.builds.reduce((sum, b) => sum + b.devices, 0),
          "device",
        )}{" "}
        reported. Choose a cell to see its depots and dearest files.
      </p>
    </div>
  );
}
