import { Link } from "react-router";

import { bytes } from "../../ui/format";
import { Empty, SeverityMark, When } from "../../ui/parts";
import type { BuildSummary } from "./queries";

/** Builds as rows; `short` leaves out what a half-width panel has no room for. */
export function BuildTable({ builds, title, short }: { builds: BuildSummary[]; title: string; short?: boolean }) {
  if (builds.length === 0) {
    return <Empty command={`bin/rampa build create --profile PROFILE --from FOLDER --title ${title}`}>No build is here.</Empty>;
  }
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Build</th>
          <th>Version</th>
          <th className="number wide">Code</th>
          <th>Profile</th>
          <th>State</th>
          {!short && <th className="wide">From</th>}
          {!short && <th className="number wide">On disk</th>}
          {!short && <th className="number">Download</th>}
          <th className="wide">Made</th>
        </tr>
      </thead>
      <tbody>
        {builds.map((b) => (
          <tr key={b.number}>
            <td className="tight">
              <Link to={`/titles/${title}/builds/${b.number}`} style={{ fontWeight: 600 }}>
                #{b.number}
              </Link>
            </td>
            <td className="tight">{b.version_name}</td>
            <td className="number wide">{b.version_code}</td>
            <td>{b.profile}</td>
            <td>
              <State build={b} />
            </td>
            {!short && (
              <td className="wide tight">
                {b.run ? (
                  <>
                    {b.ref.slice(b.ref.indexOf("/") + 1)} <span className="mono dim">{b.commit.slice(0, 8)}</span>
                  </>
                ) : (
                  <span className="dim">a folder</span>
                )}
              </td>
            )}
            {!short && <td className="number wide">{b.size ? bytes(b.size) : ""}</td>}
            {!short && <td className="number">{b.packed ? bytes(b.packed) : ""}</td>}
            <td className="wide tight">
              <When at={b.created_at} /> <span className="dim">by {b.created_by}</span>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

export function State({ build }: { build: BuildSummary }) {
  if (build.live_on.length) {
    return (
      <span style={{ color: "var(--r-done)", fontWeight: 600 }}>
        <span aria-hidden>◉</span> live on {build.live_on.join(", ")}
      </span>
    );
  }
  if (build.state === "ready" && !build.signed) {
    return (
      <>
        ready, <SeverityMark severity="blocker" /> unsigned
      </>
    );
  }
  return (
    <>
      {build.state === "open" ? "uploading" : build.state}
      {build.pinned && <span className="dim">, pinned</span>}
    </>
  );
}
