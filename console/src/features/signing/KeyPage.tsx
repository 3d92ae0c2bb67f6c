import { Button, NumberInput, PasswordInput } from "@mantine/core";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { plural } from "../../ui/format";
import { Answer, Command, Digest, Failure, PageHead, Panel, When } from "../../ui/parts";
import { Lock } from "./Lock";
import { type Key, useKey, useLock, useUnlock, useUses } from "./queries";

/** What is this identity, who knows it, can it sign now, and what if it were lost? */
export function KeyPage() {
  const { name = "" } = useParams();
  const key = useKey(name);
  return (
    <Answer of={key} rows={8}>
      {(k) => (
        <>
          <PageHead title={k.name}>
            {k.kind}, {k.origin} <When at={k.created_at} /> by {k.created_by} · <Lock of={k} />
          </PageHead>
          {k.warnings.length > 0 && (
            <div className="panel" style={{ padding: "10px 14px", marginBottom: 16 }} role="status">
              {k.warnings.map((w) => (
                <div key={w}>
                  <span style={{ color: "var(--r-warning)" }}>▲</span> {w}
                </div>
              ))}
            </div>
          )}
          <div className="halves" style={{ marginTop: 0 }}>
            <Panel title="Certificate">
              <Certificate of={k} />
            </Panel>
            <div style={{ display: "grid", gap: 16 }}>
              <Panel title="What its loss would orphan">
                <Known of={k} />
              </Panel>
              <Panel title="Backup">
                <Backup of={k} />
              </Panel>
              {k.protected && (
                <Panel title="Lock">
                  <Unlocking of={k} />
                </Panel>
              )}
            </div>
          </div>
          <div style={{ marginTop: 16 }}>
            <Uses name={k.name} />
          </div>
        </>
      )}
    </Answer>
  );
}

function Certificate({ of }: { of: Key }) {
  return (
    <dl className="facts">
      <dt>Subject</dt>
      <dd>{of.subject}</dd>
      <dt>SHA-256</dt>
      <dd>
        <Digest value={of.fingerprint} what="certificate fingerprint (SHA-256)" length={32} />
      </dd>
      <dt>Valid</dt>
      <dd>
        {of.not_before && <>from {of.not_before.slice(0, 10)} </>}until {of.not_after.slice(0, 10)}
      </dd>
      <dt>Signatures</dt>
      <dd>
        {of.used}
        {of.last_used_at && (
          <>
            , the last <When at={of.last_used_at} />
          </>
        )}
      </dd>
      <dt>May sign</dt>
      <dd>
        <Policy of={of} />
      </dd>
      {of.succession.length > 0 && (
        <>
          <dt>Succession</dt>
          <dd>
            {of.succession.map((f, i) => (
              <div key={f}>
                {i > 0 && "handed over to "}
                <Digest value={f} what="certificate fingerprint (SHA-256)" length={16} />
                {i === of.succession.length - 2 && of.predecessor && (
                  <>
                    {" "}
                    <Link to={`/keys/${of.predecessor}`} style={{ textDecoration: "underline" }}>
                      {of.predecessor}
                    </Link>
                  </>
                )}
                {i === of.succession.length - 1 && <span className="dim"> this one</span>}
              </div>
            ))}
          </dd>
        </>
      )}
    </dl>
  );
}

function Policy({ of: { policy, name } }: { of: Key }) {
  const lists = [
    ["titles", policy.titles],
    ["identifiers", policy.identifiers],
    ["purposes", policy.purposes],
    ["branches", policy.branches],
  ] as const;
  const said = lists.flatMap(([what, names]) => (names?.length ? [`${what} ${names.join(", ")}`] : []));
  if (policy.approvals) said.push(`releases that ${plural(policy.approvals, "other person", "other people")} approved`);
  if (policy.per_day) said.push(`${policy.per_day} times in 24 hours`);
  if (!said.length)
    return (
      <span className="dim">
        whatever names it; an owner narrows that: <code>rampa key policy {name}</code>
      </span>
    );
  return (
    <>
      {said.map((line) => (
        <div key={line}>{line}</div>
      ))}
    </>
  );
}

function Known({ of }: { of: Key }) {
  if (of.bound_to.length === 0)
    return (
      <span className="dim">
        {of.titles.length
          ? `It signed builds of ${of.titles.join(", ")}, none of them released yet.`
          : "No storefront knows a title by it yet."}
      </span>
    );
  return (
    <dl className="facts">
      {of.bound_to.map((b) => (
        <div key={b.identifier + b.place} style={{ display: "contents" }}>
          <dt>{b.place}</dt>
          <dd>
            {b.identifier}{" "}
            <span className="dim">
              since {b.build}, <When at={b.since} />
            </span>
          </dd>
        </div>
      ))}
    </dl>
  );
}

function Backup({ of }: { of: Key }) {
  if (of.outside)
    return (
      <p style={{ margin: 0 }}>
        Its key is in the key module, called <b>{of.outside}</b> there, and never leaves it. The module&apos;s own backup is all there is.
      </p>
    );
  return (
    <>
      <p style={{ marginTop: 0 }}>
        {of.backed_at ? (
          <>
            A restore drill passed <When at={of.backed_at} />, by {of.backed_by}.
          </>
        ) : (
          <>No restore drill has passed. Export it, put the file and its password in two safes, and restore it from there:</>
        )}
      </p>
      {!of.exported_at && !of.backed_at && (
        <div style={{ marginBottom: 8 }}>
          <Command text={`bin/rampa key export ${of.name}`} />
        </div>
      )}
      <Command text={`bin/rampa key drill ${of.name} --file ${of.name}.p12`} />
    </>
  );
}

function Unlocking({ of }: { of: Key }) {
  const [passphrase, setPassphrase] = useState("");
  const [minutes, setMinutes] = useState(60);
  const unlock = useUnlock(of.name);
  const lock = useLock(of.name);
  const open = of.unlocked_until !== null || of.unlocked_runs.length > 0;
  if (open)
    return (
      <>
        <p style={{ marginTop: 0 }}>
          <Lock of={of} />
        </p>
        {lock.error && <Failure error={lock.error} />}
        <Button size="compact-md" variant="default" loading={lock.isPending} onClick={() => lock.mutate()}>
          Lock it now
        </Button>
      </>
    );
  return (
    <form
      style={{ display: "grid", gap: 10 }}
      onSubmit={(e) => {
        e.preventDefault();
        unlock.mutate({ passphrase, minutes }, { onSuccess: () => setPassphrase("") });
      }}
    >
      <span>Runs that sign with it wait before they build. Unlocked, any run can sign until the time is over.</span>
      <PasswordInput required label="Passphrase" value={passphrase} onChange={(e) => setPassphrase(e.currentTarget.value)} />
      <NumberInput label="Minutes" min={1} max={1440} value={minutes} onChange={(v) => setMinutes(Number(v) || 60)} />
      {unlock.error && <Failure error={unlock.error} />}
      <div>
        <Button type="submit" size="compact-md" loading={unlock.isPending}>
          Unlock for {minutes} min
        </Button>
      </div>
    </form>
  );
}

const ACTS: Record<string, string> = {
  "key.use": "signed",
  "key.add": "added",
  "key.unlock": "unlocked",
  "key.lock": "locked",
  "key.export": "exported",
  "key.drill": "passed the restore drill",
  "key.hand-over": "handed over",
};

function Uses({ name }: { name: string }) {
  const uses = useUses(name);
  return (
    <Panel title="Uses" aside="newest first" flush>
      <Answer of={uses} rows={4}>
        {({ items }) => (
          <table className="rows">
            <thead>
              <tr>
                <th>When</th>
                <th>Who</th>
                <th>Act</th>
                <th className="wide">What</th>
              </tr>
            </thead>
            <tbody>
              {items.map((u) => (
                <tr key={u.at + u.act}>
                  <td className="tight">
                    <When at={u.at} />
                  </td>
                  <td className="tight">{u.who}</td>
                  <td className="tight">{ACTS[u.act] ?? u.act}</td>
                  <td className="wide">
                    <What detail={u.detail} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Answer>
    </Panel>
  );
}

function What({ detail }: { detail: Record<string, string> }) {
  const said = Object.entries(detail).filter(([, value]) => value);
  return said.map(([name, value], i) => (
    <span key={name}>
      {i > 0 && ", "}
      {name.replaceAll("_", " ")} {value.length === 64 ? <Digest value={value} what={name} /> : value}
    </span>
  ));
}
