import { Button } from "@mantine/core";
import { Link, useNavigate, useParams } from "react-router";

import { plural } from "../../ui/format";
import { Answer, Digest, PageHead, Panel, When } from "../../ui/parts";
import { FindDialogue } from "../bisects/FindDialogue";
import { useTitle } from "../titles/queries";
import { type CrashGroup, useCrash } from "./queries";
import { Stacks } from "./Stacks";

/** What crashes here, on which devices, since when, and which commit can it be? */
export function CrashPage({ finding = false }: { finding?: boolean }) {
  const { title = "", crash = "" } = useParams();
  const found = useCrash(title, Number(crash));
  const { data: named } = useTitle(title);
  const go = useNavigate();
  const at = `/titles/${title}/crashes/${crash}`;
  return (
    <>
      <PageHead
        title={found.data ? `${found.data.reason} in ${found.data.place}` : `Crash ${crash}`}
        aside={
          <>
            <Link to={`/titles/${title}/crashes`}>All crashes</Link>
            <Button onClick={() => void go(`${at}/find`)}>Find the commit …</Button>
          </>
        }
      >
        {found.data && `Crash group ${found.data.number} of ${named?.name ?? title}.`}
      </PageHead>
      <Answer of={found}>
        {(data) => (
          <>
            <Headline group={data} />
            <div className="halves" style={{ marginTop: 0 }}>
              <Panel title="Stacks" aside="innermost first" flush>
                <Stacks stacks={data.stacks} />
              </Panel>
              <div style={{ display: "grid", gap: 16 }}>
                <Panel title="Who has it" flush>
                  <Counts group={data} />
                </Panel>
                <Panel title="Commits that can be it" aside={data.before && `after #${data.before_number}`} flush>
                  <Commits group={data} />
                </Panel>
              </div>
            </div>
            {finding && (
              <FindDialogue
                title={title}
                from={{
                  by: "crash",
                  subject: String(data.number),
                  good: data.before_number ? String(data.before_number) : "",
                  bad: String(data.first_build_number),
                }}
                about={`the crash in ${data.place}`}
                close={() => void go(at)}
              />
            )}
          </>
        )}
      </Answer>
    </>
  );
}

function Headline({ group }: { group: CrashGroup }) {
  return (
    <div className="headline failed">
      {plural(group.crashes, "crash", "crashes")} on {plural(group.devices, "device")}
      {group.simulated > 0 && ` (${group.simulated === group.devices ? "all" : group.simulated} simulated)`} in the last 30 days
      {group.last_at && (
        <>
          , the last <When at={group.last_at} />
        </>
      )}
      . First in <Link to={`/titles/${group.title}/builds/${group.first_build_number}`}>{group.first_build}</Link>
      {group.before && (
        <>
          ; <Link to={`/titles/${group.title}/builds/${group.before_number}`}>{group.before}</Link>, before it, had none
        </>
      )}
      .
      {group.bisects.map((b) => (
        <span key={b.number}>
          {" "}
          <Link to={`/titles/${group.title}/bisects/${b.number}`}>Bisect {b.number}</Link>
          {b.commit ? (
            <>
              : it came with <b>{b.commit.slice(0, 10)}</b>.
            </>
          ) : (
            ` is ${b.state}.`
          )}
        </span>
      ))}
    </div>
  );
}

function Counts({ group }: { group: CrashGroup }) {
  const parts = [
    ["class", group.forms],
    ["level", group.levels],
    ["build", group.builds],
  ] as const;
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Part</th>
          <th className="number">Crashes</th>
          <th className="number">Devices</th>
        </tr>
      </thead>
      <tbody>
        {parts.flatMap(([part, counts]) =>
          counts.slice(0, 6).map((c) => (
            <tr key={`${part} ${c.name}`}>
              <td>
                <span className="dim">{part}</span> {c.name || "unknown"}
              </td>
              <td className="number">{c.crashes.toLocaleString("en")}</td>
              <td className="number">{c.devices.toLocaleString("en")}</td>
            </tr>
          )),
        )}
      </tbody>
    </table>
  );
}

function Commits({ group }: { group: CrashGroup }) {
  if (group.commits_said) return <p style={{ padding: "0 14px" }}>{group.commits_said}</p>;
  return (
    <table className="rows">
      <tbody>
        {group.commits.map((c) => (
          <tr key={c.commit} style={{ fontWeight: group.bisects.some((b) => b.commit === c.commit) ? 600 : undefined }}>
            <td className="tight">
              <Digest value={c.commit} what="commit" length={10} />
            </td>
            <td>
              {c.subject} <span className="dim">by {c.author}</span>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
