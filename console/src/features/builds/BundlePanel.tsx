import { Link } from "react-router";

import { bytes, duration } from "../../ui/format";
import { Digest, When } from "../../ui/parts";
import type { Build } from "./queries";

type Said = NonNullable<NonNullable<Build["bundle"]>["says"]>;

/** The bundle: what it is, who signed it, and what it says of itself, as the storefront will read it. */
export function BundlePanel({ build, title }: { build: Build; title: string }) {
  const { bundle } = build;
  if (!bundle) return <span className="dim">The bundle {build.bundle_name} is made when the upload is complete.</span>;
  const at = `/api/v1/titles/${title}/builds/${build.number}`;
  return (
    <dl className="facts">
      <dt>Bundle</dt>
      <dd>
        <a href={`${at}/bundle`}>{bundle.name}</a>, {bytes(bundle.size)}
      </dd>
      <dt>SHA-256</dt>
      <dd>
        <Digest value={bundle.sha256} what="SHA-256 of the bundle" length={16} />
      </dd>
      <dt>Signature</dt>
      <dd>
        {build.signed && bundle.signed_at ? (
          <>
            {bundle.beside ? <a href={`${at}/signature`}>CMS, detached</a> : "Inside"} by{" "}
            <Link to={`/keys/${bundle.identity}`}>{bundle.identity}</Link>, <When at={bundle.signed_at} />
          </>
        ) : (
          <>Not signed. Name a signing identity in the profile and build again.</>
        )}
      </dd>
      {bundle.says && <Says said={bundle.says} />}
      {build.grant > 0 && (
        <>
          <dt>Grant</dt>
          <dd>
            <Link to={`/titles/${title}/grants`}>grant {build.grant}</Link>: it runs on the devices that it lists
          </dd>
        </>
      )}
      <dt>Provenance</dt>
      <dd>
        <a href={`${at}/provenance`}>SLSA, in DSSE</a>; <code className="mono">bin/rampa build provenance {build.name}</code>
      </dd>
      <dt>Made in</dt>
      <dd>
        {duration(build.figures.seconds)}; sent {bytes(build.figures.uploaded)}, {bytes(build.figures.present)} was there
      </dd>
    </dl>
  );
}

function Says({ said }: { said: Said }) {
  const f = said.facts;
  const signed = said.schemes.filter((s) => s.state !== "absent");
  return (
    <>
      {f.identifier && (
        <>
          <dt>It says</dt>
          <dd>
            {f.identifier} {f.version_name}, code {f.version_code}
            <div className="dim">
              read back from the bundle after signing; {f.architectures?.join(", ") || "any architecture"}, level {f.minimum} or above
            </div>
          </dd>
        </>
      )}
      {signed.length > 0 && (
        <>
          <dt>Schemes</dt>
          <dd>
            {signed.map((s) => (
              <div key={s.name}>
                <span style={{ color: s.state === "holds" ? "var(--r-done)" : "var(--r-blocker)" }}>
                  {s.state === "holds" ? "✓" : "■"} {s.name} {s.state}
                </span>{" "}
                {s.signers?.map((w) => (
                  <Digest key={w.fingerprint} value={w.fingerprint} what="certificate fingerprint (SHA-256)" length={16} />
                ))}
              </div>
            ))}
          </dd>
        </>
      )}
      {said.notes.map((n) => (
        <div key={n} style={{ display: "contents" }}>
          <dt>Note</dt>
          <dd>{n}</dd>
        </div>
      ))}
    </>
  );
}
