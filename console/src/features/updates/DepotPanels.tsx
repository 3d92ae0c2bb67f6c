import { Button } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";
import { bytes, duration, plural } from "../../ui/format";
import { Answer, Failure, Panel } from "../../ui/parts";

type Comparison = Schemas["DepotComparison"];
type Prepared = Schemas["PreparedOut"];

/** One update: by depot, and the files that cost most. */
export function DepotPanels({ title, old, new_ }: { title: string; old: number; new_: number }) {
  const found = useQuery({
    queryKey: ["depots", title, old, new_],
    queryFn: () => call<Comparison>(`/titles/${title}/updates/depots?old=${old}&new=${new_}`),
  });
  return (
    <div style={{ display: "grid", gridTemplateColumns: "minmax(0, 1fr)", gap: 16, marginTop: 16 }}>
      <Panel title={`From #${old} to #${new_}, by depot`} aside={<Differences title={title} old={old} new_={new_} />} flush>
        <Answer of={found} rows={4}>
          {(c) => <Depots c={c} />}
        </Answer>
      </Panel>
      <Panel title="Files that cost most" flush>
        <Answer of={found} rows={4}>
          {(c) => <Worst c={c} />}
        </Answer>
      </Panel>
    </div>
  );
}

function Differences({ title, old, new_ }: { title: string; old: number; new_: number }) {
  const queries = useQueryClient();
  const key = ["differences", title, old, new_];
  const state = useQuery({
    queryKey: key,
    queryFn: () => call<Prepared>(`/titles/${title}/updates/differences?old=${old}&new=${new_}`),
    refetchInterval: (q) => (q.state.data?.state === "waiting" ? 1500 : false),
  });
  const make = useMutation({
    mutationFn: () => call<Prepared>(`/titles/${title}/updates/differences`, { method: "POST", body: { old, new: new_ } }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["differences"] }),
  });
  const s = state.data;
  if (make.error) return <Failure error={make.error} />;
  if (!s) return null;
  if (s.state === "none")
    return (
      <Button size="compact-xs" variant="default" loading={make.isPending} onClick={() => make.mutate()}>
        Make differences
      </Button>
    );
  const said: Record<string, string> = {
    waiting: "differences are being made …",
    skipped: "no difference is smaller than its chunks",
    ready: `${plural(s.differences, "difference")}, ${bytes(s.size)}, made in ${duration(s.seconds)}`,
  };
  return (
    <span className="dim" style={{ whiteSpace: "normal", textAlign: "right" }}>
      {said[s.state]}
    </span>
  );
}

function Depots({ c }: { c: Comparison }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Depot</th>
          <th className="number">Changed</th>
          <th className="number wide">Added</th>
          <th className="number wide">Moved</th>
          <th className="number wide">Removed</th>
          <th className="number wide">New chunks</th>
          <th className="number">As plain chunks</th>
          <th className="number wide">Disk</th>
        </tr>
      </thead>
      <tbody>
        {c.depots.map((d) => (
          <tr key={d.name}>
            <td>
              {d.name} {d.kind !== "changed" && <span className="dim">{d.kind}</span>}
              {d.note && <div className="dim">It travels larger than it is: {d.note}.</div>}
            </td>
            <td className="number">{d.changed.toLocaleString("en")}</td>
            <td className="number wide">{d.added.toLocaleString("en")}</td>
            <td className="number wide">{d.moved.toLocaleString("en")}</td>
            <td className="number wide">{d.removed.toLocaleString("en")}</td>
            <td className="number wide">{d.new_chunks.toLocaleString("en")}</td>
            <td className="number">{bytes(d.download)}</td>
            <td className="number wide">
              {bytes(d.size_after)} <span className="dim">{bytes(d.size_after - d.size_before, true)}</span>
            </td>
          </tr>
        ))}
        <tr>
          <td>
            <strong>All that travels</strong>
          </td>
          <td colSpan={7} className="number" style={{ whiteSpace: "normal" }}>
            <strong>{bytes(c.download)}</strong>
            {c.plain > c.download && <span className="dim"> · {bytes(c.plain)} without differences</span>}
            <span className="dim"> · at most {bytes(c.peak_disk)} on the disk</span>
          </td>
        </tr>
      </tbody>
    </table>
  );
}

function Worst({ c }: { c: Comparison }) {
  if (!c.worst.length) return <div style={{ padding: 14 }}>No file of this update costs anything: its content is there already.</div>;
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>File</th>
          <th className="number wide">Size</th>
          <th className="number" title="As whole chunks, without differences. What several files share counts for the first of them.">
            Without differences
          </th>
          <th>Why, and what to do</th>
        </tr>
      </thead>
      <tbody>
        {c.worst.map((w) => (
          <tr key={w.path}>
            <td style={{ overflowWrap: "anywhere" }}>
              {w.path} <span className="dim">in {w.depot}</span>
            </td>
            <td className="number wide">{bytes(w.size)}</td>
            <td className="number">{bytes(w.download)}</td>
            <td>
              {w.why}. <span className="dim">{w.advice}</span>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
