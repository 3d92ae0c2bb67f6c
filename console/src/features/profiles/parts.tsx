import { Button } from "@mantine/core";
import { Link, useSearchParams } from "react-router";

import { SeverityMark } from "../../ui/parts";
import type { Difference, Finding, Origin, Value } from "./queries";
import "./matrix.css";

/** Where a value was said; as a way to the line where the text is a revision. */
export function From({ origin, title, revision }: { origin: Origin; title: string; revision: number }) {
  if (!origin.line) return <span className="dim">default</span>;
  if (!revision) return <>{`line ${origin.line}, ${origin.layer}`}</>;
  return (
    <Link to={`/titles/${title}/document?revision=${revision}&line=${origin.line}`}>
      line {origin.line}, {origin.layer}
    </Link>
  );
}

/** A value on one line, or what its absence means. */
export function Said({ value }: { value: Value | null }) {
  if (!value) return <span className="dim">not set</span>;
  const where = value.origin.line ? `line ${value.origin.line}, ${value.origin.layer}` : "the default";
  return (
    <span className={value.origin.line ? undefined : "dim"} title={where}>
      {value.text || "—"}
    </span>
  );
}

/** What several profiles have alike is said once. */
export function alike(findings: Finding[]): Finding[][] {
  const groups = new Map<string, Finding[]>();
  for (const f of findings) {
    const key = [f.severity, f.code, f.key, f.message].join("\n");
    groups.set(key, [...(groups.get(key) ?? []), f]);
  }
  return [...groups.values()];
}

interface FindingsProps {
  findings: Finding[];
  title: string;
  revision: number;
  fix?: (findings: Finding[]) => void;
  fixing?: boolean;
}

/** Findings with key, origin, what is allowed, and the fix where a machine can make it. */
export function ProfileFindings({ findings, title, revision, fix, fixing }: FindingsProps) {
  return (
    <div>
      {alike(findings).map((group) => (
        <OneFinding key={group[0]!.name + group[0]!.message} {...{ group, title, revision, fix, fixing }} />
      ))}
    </div>
  );
}

function OneFinding({ group, title, revision, fix, fixing }: Omit<FindingsProps, "findings"> & { group: Finding[] }) {
  const first = group[0]!;
  const able = group.filter((f) => f.fix.length > 0);
  const names = group.map((f) => f.profile).filter(Boolean);
  const fixes = new Set(able.map((f) => f.fix.map((e) => e.says).join("; ")));
  const says = fixes.size === 1 ? [...fixes][0] : "";
  return (
    <div className="finding">
      <SeverityMark severity={first.severity} />
      <div style={{ minWidth: 0 }}>
        {names.length > 0 && (
          <b>
            {names.map((name, i) => (
              <span key={name}>
                {i > 0 && ", "}
                {revision ? <Link to={`/titles/${title}/profiles/${name}?revision=${revision}`}>{name}</Link> : name}
              </span>
            ))}
            :{" "}
          </b>
        )}
        <span style={{ overflowWrap: "anywhere" }}>{first.message}.</span>
        <div className="dim" style={{ overflowWrap: "anywhere" }}>
          <span className="mono">{first.key}</span>, <From origin={first.origin} title={title} revision={revision} />.{" "}
          {first.allowed && `Allowed: ${first.allowed}. `}
          {!first.fix.length && first.hint.replace(`Allowed: ${first.allowed}.`, "")}
        </div>
        {fix && able.length > 0 && (
          <div style={{ marginTop: 4, display: "flex", gap: 8, alignItems: "center", flexWrap: "wrap" }}>
            <Button size="compact-xs" variant="default" disabled={fixing} onClick={() => fix(able)}>
              {fixes.size === 1 ? "Fix in my draft" : `Fix ${able.length} in my draft`}
            </Button>
            {says && <span className="mono dim">{says}</span>}
          </div>
        )}
      </div>
    </div>
  );
}

/** Settings that differ, by group, left beside right. */
export function Differences({
  differences,
  groups,
  left,
  right,
}: {
  differences: Difference[];
  groups: Record<string, string>;
  left: string;
  right: string;
}) {
  let group = "";
  return (
    <table className="rows differences">
      <thead>
        <tr>
          <th>Setting</th>
          <th>{left}</th>
          <th>{right}</th>
        </tr>
      </thead>
      <tbody>
        {differences.flatMap((d) => {
          const head = d.group !== group;
          group = d.group;
          const row = (
            <tr key={d.key}>
              <td title={d.key}>{d.label}</td>
              <td>
                <Said value={d.left} />
              </td>
              <td>
                <Changed difference={d} />
              </td>
            </tr>
          );
          return head
            ? [
                <tr className="group" key={`g ${d.group}`}>
                  <th colSpan={3} scope="rowgroup">
                    {groups[d.group] ?? d.group}
                  </th>
                </tr>,
                row,
              ]
            : [row];
        })}
      </tbody>
    </table>
  );
}

/** For lists what came and went; else the value. */
function Changed({ difference }: { difference: Difference }) {
  const { added, taken, moved, right } = difference;
  if (!added.length && !taken.length) {
    return (
      <>
        <Said value={right} /> {moved && <span className="dim">(another order)</span>}
      </>
    );
  }
  return (
    <>
      {added.map((item) => (
        <div key={`+${item}`} className="came">
          + {item}
        </div>
      ))}
      {taken.map((item) => (
        <div key={`-${item}`} className="went">
          − {item}
        </div>
      ))}
    </>
  );
}

/** Which revision a page shows, and the way back to the newest. */
export function OfRevision({ revision, newest }: { revision: number; newest: number | undefined }) {
  const [, setSearch] = useSearchParams();
  const back = () =>
    setSearch((now) => {
      now.delete("revision");
      return now;
    });
  return (
    <span>
      revision {revision}
      {newest !== undefined && newest !== revision && (
        <>
          , not the newest.{" "}
          <Button size="compact-xs" variant="default" onClick={back}>
            Show revision {newest}
          </Button>
        </>
      )}
    </span>
  );
}
