import { Link } from "react-router";

import type { Schemas } from "../../app/http";
import { bytes } from "../../ui/format";

/** Size on disk against what travels, from zero, one scale for all. */
export function Sizes({ builds, title }: { builds: Schemas["BuildSummary"][]; title: string }) {
  const newest = new Map<string, Schemas["BuildSummary"]>();
  for (const build of builds) {
    if (build.state === "ready" && !newest.has(build.profile)) newest.set(build.profile, build);
  }
  const rows = [...newest.values()];
  const most = Math.max(1, ...rows.map((b) => b.size));
  if (rows.length === 0) return <span className="dim">No build is ready yet.</span>;
  return (
    <div style={{ display: "grid", gap: 12 }}>
      {rows.map((build) => (
        <div key={build.profile}>
          <div style={{ display: "flex", gap: 10 }}>
            <span>{build.profile}</span>
            <Link to={`/titles/${title}/builds/${build.number}`}>#{build.number}</Link>
            <span className="dim" style={{ marginLeft: "auto" }}>
              ratio {(build.packed / Math.max(1, build.size)).toFixed(2)}
            </span>
          </div>
          <Bar share={build.size / most} colour="var(--r-tread-live)" label={`${bytes(build.size)} on disk`} />
          <Bar share={build.packed / most} colour="var(--r-tread)" label={`${bytes(build.packed)} fresh download`} />
        </div>
      ))}
    </div>
  );
}

function Bar({ share, colour, label }: { share: number; colour: string; label: string }) {
  return (
    <div style={{ position: "relative", height: 20, marginTop: 2 }}>
      <div style={{ position: "absolute", inset: 0, width: `${100 * share}%`, background: colour, borderRadius: 2 }} />
      <span style={{ position: "relative", paddingLeft: 6, fontSize: 12.5, lineHeight: "20px" }}>{label}</span>
    </div>
  );
}
