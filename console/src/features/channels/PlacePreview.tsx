import { Link } from "react-router";

import type { Schemas } from "../../app/http";
import { bytes, plural } from "../../ui/format";
import { Answer, Findings, Panel } from "../../ui/parts";
import { Commits, Settings } from "../builds/Between";
import { useBuildComparison } from "../builds/queries";
import { Platform } from "../profiles/Platform";
import { Gates } from "./Gates";
import type { Preview } from "./queries";

/** What placing would do: who has what now, what it costs them, what changes, what stands in the way. */
export function PlacePreview({ title, seen }: { title: string; seen: Preview }) {
  const blockers = seen.findings.filter((f) => f.severity === "blocker").length;
  return (
    <>
      <p style={{ marginTop: 0 }}>
        <b>
          {seen.build.version_name}, code {seen.build.version_code}
        </b>{" "}
        for <Platform name={seen.build.platform} />{" "}
        {seen.replaces ? (
          <>
            replaces <b>#{seen.replaces.number}</b> ({seen.replaces.version_name}).
          </>
        ) : (
          "is the first build here."
        )}{" "}
        {seen.devices === 0
          ? "No device follows this channel yet."
          : `${plural(seen.devices, "device follows", "devices follow")} the channel.`}
      </p>
      {seen.findings.length > 0 && (
        <div style={{ marginBottom: 12 }}>
          {blockers > 0 && <b>{plural(blockers, "blocker")}: it cannot be placed as it is.</b>}
          <Findings findings={seen.findings} />
        </div>
      )}
      <Gates title={title} channel={seen.channel} build={seen.build.number} gates={seen.gates} />
      <Costs seen={seen} />
      <Having seen={seen} />
      {seen.replaces && <Between title={title} left={seen.replaces.number} right={seen.build.number} />}
      {seen.replaces && <Changes seen={seen} />}
    </>
  );
}

/** Commits and settings that differ from what is live. */
function Between({ title, left, right }: { title: string; left: number; right: number }) {
  const found = useBuildComparison(title, left, right);
  return (
    <Answer of={found} rows={2}>
      {(c) => (
        <div style={{ marginBottom: 14 }}>
          <Panel
            title={`Since #${left}`}
            aside={<Link to={`/titles/${title}/builds/compare?left=${left}&right=${right}`}>Whole comparison</Link>}
            flush
          >
            <div style={{ maxHeight: 220, overflowY: "auto" }} tabIndex={0} role="region" aria-label="Commits and settings that differ">
              <Commits c={c} />
              <Settings c={c} />
            </div>
          </Panel>
        </div>
      )}
    </Answer>
  );
}

function Costs({ seen }: { seen: Preview }) {
  if (!seen.fresh) return null;
  return (
    <div style={{ display: "grid", gridTemplateColumns: "repeat(auto-fit, minmax(260px, 1fr))", gap: 12, marginBottom: 14 }}>
      {seen.update && seen.replaces && (
        <Cost name={`Update from #${seen.replaces.number}`} cost={seen.update} note={updating(seen, seen.replaces.number, seen.update)} />
      )}
      <Cost name="Fresh install" cost={seen.fresh} note={coming(seen, seen.fresh)} />
    </div>
  );
}

/** What differences will still change about an update. */
function updating(seen: Preview, from: number, update: Schemas["CostOut"]): string | undefined {
  if (seen.differences_from?.includes(from)) return "Placing it here makes differences: it gets smaller, where they pay.";
  return update.making?.includes("differences") ? "Its differences are still made: it gets smaller." : undefined;
}

/** What packs for players will still change about a fresh install. */
function coming(seen: Preview, fresh: Schemas["CostOut"]): string | undefined {
  if (seen.player_packs === "to-make") return "Placing it here makes packs for players: it gets smaller.";
  if (!fresh.making?.length) return undefined;
  const then = (fresh.expected ?? 0) < fresh.download ? ` then about ${bytes(fresh.expected ?? 0)}` : " it gets smaller";
  return `Packs for players are still made:${then}.`;
}

/** What every build that devices have now comes to, by how many have it. */
function Having({ seen }: { seen: Preview }) {
  if (seen.updates.length === 0) return null;
  const devices = seen.updates.reduce((sum, u) => sum + u.devices, 0);
  const total = seen.updates.reduce((sum, u) => sum + u.devices * u.update.download, 0);
  return (
    <table className="rows" style={{ marginBottom: 14 }}>
      <thead>
        <tr>
          <th>Devices have</th>
          <th className="number">Devices</th>
          <th className="number">Each downloads</th>
          <th className="number">Disk meanwhile</th>
        </tr>
      </thead>
      <tbody>
        {seen.updates.map((u) => (
          <tr key={u.build.number}>
            <td>
              #{u.build.number} {u.build.version_name}
            </td>
            <td className="number">{u.devices.toLocaleString("en")}</td>
            <td className="number">{bytes(u.update.download)}</td>
            <td className="number">{bytes(u.update.peak_disk)}</td>
          </tr>
        ))}
        <tr>
          <td className="dim">all of them</td>
          <td className="number">{devices.toLocaleString("en")}</td>
          <td className="number dim">
            {bytes(Math.round(total / devices))} on average, {bytes(total)} in all
          </td>
          <td />
        </tr>
      </tbody>
    </table>
  );
}

function Cost({ name, cost, note }: { name: string; cost: Schemas["CostOut"]; note?: string }) {
  return (
    <div className="panel" style={{ padding: "10px 14px" }}>
      <div className="dim">{name}</div>
      <div style={{ fontSize: 24, fontWeight: 600, lineHeight: 1.3 }}>
        {bytes(cost.download)} <span style={{ fontSize: 14, fontWeight: 400 }}>download</span>
      </div>
      <div className="dim" style={{ fontSize: 12.5 }}>
        {bytes(cost.reused)} reused, {bytes(cost.written)} written, {plural(cost.requests, "request")}
      </div>
      {note && (
        <div className="dim" style={{ fontSize: 12.5 }}>
          {note}
        </div>
      )}
    </div>
  );
}

function Changes({ seen }: { seen: Preview }) {
  if (seen.changes.length === 0) return <p>No file differs from #{seen.replaces?.number}.</p>;
  return (
    <div
      style={{ maxHeight: 300, overflowY: "auto", border: "1px solid var(--r-line)", borderRadius: 4 }}
      tabIndex={0}
      aria-label="Files that change"
    >
      <table className="rows">
        <thead>
          <tr>
            <th>Change</th>
            <th>File</th>
            <th className="number">Size</th>
            <th className="number">New content</th>
          </tr>
        </thead>
        <tbody>
          {seen.changes.map((c) => (
            <tr key={`${c.kind} ${c.path}`}>
              <td>{c.kind}</td>
              <td className="path">
                {c.path}
                {c.kind === "moved" && <span className="dim"> was {c.old_path}</span>}
              </td>
              <td className="number">{c.kind === "moved" ? "same" : bytes(c.new_size - c.old_size, true)}</td>
              <td className="number">{c.kind === "changed" || c.kind === "added" ? bytes(c.new_size - c.shared) : ""}</td>
            </tr>
          ))}
          {seen.changes_left > 0 && (
            <tr>
              <td colSpan={4} className="dim">
                and {plural(seen.changes_left, "more file")}
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </div>
  );
}
