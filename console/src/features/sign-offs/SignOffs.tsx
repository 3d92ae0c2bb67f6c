import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";

import { call, type Schemas } from "../../app/http";
import { Answer, Empty, Panel, When } from "../../ui/parts";
import { Pictures } from "../testing/Pictures";

type BuildSignOffs = Schemas["BuildSignOffs"];
type SignOff = Schemas["SignOffOut"];

/** Who played this build, on what, and which points failed? */
export function BuildSignOffsPanel({ title, build }: { title: string; build: number }) {
  const found = useQuery({
    queryKey: ["sign-offs", title, build],
    queryFn: () => call<BuildSignOffs>(`/titles/${title}/builds/${build}/sign-offs`),
    refetchInterval: 15_000,
  });
  return (
    <Panel title="Play sign-offs" aside={found.data && <Signed of={found.data} />} flush>
      <Answer of={found} rows={2}>
        {(data) => <Rows of={data} title={title} />}
      </Answer>
    </Panel>
  );
}

/** The same of every build of a release. */
export function ReleaseSignOffsPanel({ title, release }: { title: string; release: number }) {
  const found = useQuery({
    queryKey: ["sign-offs", title, "release", release],
    queryFn: () => call<Schemas["ReleaseSignOffs"]>(`/titles/${title}/releases/${release}/sign-offs`),
    refetchInterval: 15_000,
  });
  return (
    <Panel title="Play sign-offs" flush>
      <Answer of={found} rows={3}>
        {({ items }) =>
          items.map((of) => (
            <section key={of.build.number} style={{ borderTop: "1px solid var(--r-line)" }}>
              <div style={{ padding: "8px 14px 0" }}>
                <Link to={`/titles/${title}/builds/${of.build.number}`} style={{ fontWeight: 600 }}>
                  #{of.build.number}
                </Link>{" "}
                {of.build.profile}{" "}
                <span className="dim">
                  · <Signed of={of} />
                </span>
              </div>
              <Rows of={of} title={title} />
            </section>
          ))
        }
      </Answer>
    </Panel>
  );
}

function Signed({ of }: { of: BuildSignOffs }) {
  if (of.wanted.length === 0) return <>no checklist is for it</>;
  return <>{of.signed.length ? `signed off by ${of.signed.join(", ")}` : "nobody signed it off yet"}</>;
}

function Rows({ of, title }: { of: BuildSignOffs; title: string }) {
  if (of.items.length === 0)
    return (
      <Empty command={of.wanted.length ? undefined : `bin/rampa checklist set checklists.toml --title ${title}`}>
        {of.wanted.length
          ? "Nobody has played it yet. Whoever may install it finds the checklist on their own page."
          : "Checklists stand in checklists.toml, beside the profile document; none is for this platform and purpose."}
      </Empty>
    );
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Who</th>
          <th className="wide">Checklist</th>
          <th>State</th>
          <th>What failed</th>
          <th className="wide">On</th>
          <th className="wide">When</th>
        </tr>
      </thead>
      <tbody>
        {of.items.map((one) => (
          <tr key={`${one.person} ${one.checklist}`}>
            <td>{one.person}</td>
            <td className="wide">{one.title}</td>
            <td className="tight">
              <State of={one} />
            </td>
            <td>
              <Failed of={one} />
            </td>
            <td className="wide">{one.device}</td>
            <td className="wide tight">
              <When at={one.finished_at ?? one.changed_at} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function State({ of }: { of: SignOff }) {
  if (of.state !== "finished")
    return (
      <span className="dim">
        {of.passed + of.failed.length} of {of.points} so far
      </span>
    );
  if (of.failed.length) return <span className="severity blocker">✗ {of.failed.length} failed</span>;
  return <span className="came">✓ signed off</span>;
}

/** A failed point with what was seen; notes of passed ones behind it. */
function Failed({ of }: { of: SignOff }) {
  return (
    <>
      {of.failed.map((f) => (
        <div key={f.point}>
          <b>{f.text[0]?.text ?? f.point}</b> {f.note}
          <Pictures ids={f.pictures} />
        </div>
      ))}
      {of.notes.map((n) => (
        <div key={n.point} className="dim">
          {n.text[0]?.text ?? n.point} {n.note}
          <Pictures ids={n.pictures} />
        </div>
      ))}
    </>
  );
}
