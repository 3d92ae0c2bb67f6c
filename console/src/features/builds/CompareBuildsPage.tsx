import { Select } from "@mantine/core";
import { Link, useParams, useSearchParams } from "react-router";

import { bytes, duration, plural } from "../../ui/format";
import { Answer, Findings, PageHead, Panel } from "../../ui/parts";
import { Commits, Settings } from "./Between";
import { type Comparison, useBuildComparison, useBuilds } from "./queries";

/** What changed between two builds? */
export function CompareBuildsPage() {
  const { title = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const builds = useBuilds(title, { state: "ready", limit: 100 });
  const items = builds.data?.items ?? [];
  const right = search.get("right") ?? String(items[0]?.number ?? "");
  const left =
    search.get("left") ??
    String(items.find((b) => b.profile === items[0]?.profile && b.number < items[0].number)?.number ?? items[1]?.number ?? "");
  const found = useBuildComparison(title, left, right);
  const data = items.map((b) => ({ value: String(b.number), label: `#${b.number} ${b.profile} ${b.version_name}` }));
  const set = (side: string, value: string | null) => value && setSearch({ left, right, [side]: value }, { replace: true });
  return (
    <>
      <PageHead
        title="Two builds"
        aside={
          <>
            <Select
              aria-label="Before"
              size="xs"
              w={250}
              searchable
              allowDeselect={false}
              data={data}
              value={left}
              onChange={(v) => set("left", v)}
            />
            <span aria-hidden>→</span>
            <Select
              aria-label="After"
              size="xs"
              w={250}
              searchable
              allowDeselect={false}
              data={data}
              value={right}
              onChange={(v) => set("right", v)}
            />
          </>
        }
      >
        {found.data && <Headline c={found.data} />}
      </PageHead>
      {left && right ? (
        <Answer of={found} rows={10}>
          {(c) => <Whole c={c} title={title} />}
        </Answer>
      ) : (
        <Panel title="Nothing to compare">It takes two finished builds.</Panel>
      )}
    </>
  );
}

function Headline({ c }: { c: Comparison }) {
  const native = c.same_native == null ? "" : c.same_native ? " · only content changed" : " · the native part changed";
  return (
    <>
      {bytes(c.left.size)} → {bytes(c.right.size)} ({bytes(c.right.size - c.left.size, true)}) · {c.added} added, {c.removed} removed,{" "}
      {c.changed} changed, {c.moved} moved, {c.unchanged} the same{native}
    </>
  );
}

function Whole({ c, title }: { c: Comparison; title: string }) {
  return (
    <div style={{ display: "grid", gap: 16 }}>
      <div className="halves" style={{ marginTop: 0 }}>
        <Panel title="Commits between" aside={c.commits.length ? plural(c.commits.length, "commit") : undefined} flush>
          <Commits c={c} />
        </Panel>
        <Panel title="Settings" aside={c.settings.length ? plural(c.settings.length, "difference") : "the same"} flush>
          <Settings c={c} />
        </Panel>
      </div>
      <Panel title="Files" aside={c.files.length < c.added + c.removed + c.changed ? `the first ${c.files.length}` : undefined} flush>
        <Files c={c} />
      </Panel>
      <div className="halves" style={{ marginTop: 0 }}>
        <Pairs title="Size by folder" name="Folder" pairs={c.folders} show={(n) => bytes(n)} change={(n) => bytes(n, true)} />
        <Pairs
          title="Durations"
          name="Step"
          pairs={c.durations}
          show={(n) => duration(n)}
          change={(n) => `${n > 0 ? "+" : n < 0 ? "−" : ""}${duration(Math.abs(n))}`}
        />
      </div>
      <div className="halves" style={{ marginTop: 0 }}>
        {([c.left, c.right] as const).map((b, n) => {
          const findings = n ? c.findings_right : c.findings_left;
          return (
            <Panel
              key={n}
              title={
                <>
                  Findings of <Link to={`/titles/${title}/builds/${b.number}`}>#{b.number}</Link>
                </>
              }
              aside={c.tools.map((t) => `${t.name} ${n ? t.after : t.before}`).join(", ")}
            >
              {findings.length ? <Findings findings={findings} /> : <span className="dim">None.</span>}
            </Panel>
          );
        })}
      </div>
    </div>
  );
}

function Files({ c }: { c: Comparison }) {
  if (c.files.length === 0)
    return (
      <div className="dim" style={{ padding: 14 }}>
        The files are the same.
      </div>
    );
  return (
    <div style={{ maxHeight: 420, overflowY: "auto" }} tabIndex={0} role="region" aria-label="Files">
      <table className="rows">
        <thead>
          <tr>
            <th>What</th>
            <th>Path</th>
            <th className="number wide">Before</th>
            <th className="number">After</th>
            <th className="number">Change</th>
          </tr>
        </thead>
        <tbody>
          {c.files.map((f) => (
            <tr key={f.path}>
              <td>{f.kind}</td>
              <td className="path">{f.kind === "moved" ? `${f.old_path} → ${f.path}` : f.path}</td>
              <td className="number wide">{f.kind === "added" ? "" : bytes(f.old_size)}</td>
              <td className="number">{f.kind === "removed" ? "" : bytes(f.new_size)}</td>
              <td className="number">{f.new_size === f.old_size ? "same size" : bytes(f.new_size - f.old_size, true)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

interface PairsProps {
  title: string;
  name: string;
  pairs: Comparison["folders"];
  show: (n: number) => string;
  change: (n: number) => string;
}

function Pairs({ title, name, pairs, show, change }: PairsProps) {
  return (
    <Panel title={title} flush>
      {pairs.length === 0 ? (
        <div className="dim" style={{ padding: 14 }}>
          Nothing is known of it.
        </div>
      ) : (
        <table className="rows">
          <thead>
            <tr>
              <th>{name}</th>
              <th className="number">Before</th>
              <th className="number">After</th>
              <th className="number">Change</th>
            </tr>
          </thead>
          <tbody>
            {pairs.map((p) => (
              <tr key={p.name}>
                <td>{p.name === "." ? "top folder" : p.name}</td>
                <td className="number">{p.before == null ? "–" : show(p.before)}</td>
                <td className="number">{p.after == null ? "–" : show(p.after)}</td>
                <td className="number">{(p.after ?? 0) === (p.before ?? 0) ? "" : change((p.after ?? 0) - (p.before ?? 0))}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Panel>
  );
}
