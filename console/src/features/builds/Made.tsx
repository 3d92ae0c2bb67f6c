import { Link } from "react-router";

import { bytes, duration, plural } from "../../ui/format";
import { Digest, Findings, Panel } from "../../ui/parts";
import type { Build } from "./queries";

/** What it was made of, by which run, with which tools, and what the checks found. */
export function Made({ build, title }: { build: Build; title: string }) {
  const findings = build.findings.filter((f) => f.severity !== "note");
  return (
    <div style={{ marginBottom: 16 }}>
      <Panel title="Made by" aside={<Link to={`/titles/${title}/builds/compare?right=${build.number}`}>compare it with another</Link>}>
        {build.run ? <Origin build={build} title={title} /> : <ByHand build={build} title={title} />}
        {findings.length > 0 && <Findings findings={findings} />}
      </Panel>
    </div>
  );
}

function ByHand({ build, title }: { build: Build; title: string }) {
  if (!build.content_of) return <div className="dim">{build.created_by}, from a folder.</div>;
  return (
    <div>
      {build.created_by}, to roll back: the files of <Link to={`/titles/${title}/builds/${build.content_of}`}>#{build.content_of}</Link>,
      signed again under version code {build.version_code}.
    </div>
  );
}

function Origin({ build, title }: { build: Build; title: string }) {
  const steps = Object.entries(build.durations);
  return (
    <dl className="facts">
      <dt>Run</dt>
      <dd>
        <Link to={`/titles/${title}/runs/${build.run}`}>run {build.run}</Link> on {build.agent || "an agent"}, started{" "}
        {build.why === "manual" ? "by hand" : `by ${build.why === "again" ? "hand, again" : `a ${build.why}`}`}
      </dd>
      {build.commit && (
        <>
          <dt>Commit</dt>
          <dd>
            <Digest value={build.commit} what="commit" length={10} /> {build.ref && <>of {build.ref.slice(build.ref.indexOf("/") + 1)}</>} “
            {build.subject}”
          </dd>
        </>
      )}
      <dt>Tools</dt>
      <dd>
        {Object.entries(build.tools)
          .map(([name, version]) => `${name} ${version}`)
          .join(", ") || "none were named"}
      </dd>
      {steps.length > 0 && (
        <>
          <dt>Steps</dt>
          <dd>{steps.map(([name, seconds]) => `${name} ${duration(seconds)}`).join(" · ")}</dd>
        </>
      )}
      {build.symbols_files > 0 && (
        <>
          <dt>Symbols</dt>
          <dd>
            {plural(build.symbols_files, "file")}, {bytes(build.symbols_size)}, kept apart:{" "}
            <code className="mono">bin/rampa build symbols {build.name}</code>
          </dd>
        </>
      )}
    </dl>
  );
}
