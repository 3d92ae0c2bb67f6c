import { Button, Stack } from "@mantine/core";
import { Link, useParams } from "react-router";

import { bytes, capital, exact, plural } from "../../ui/format";
import { Answer, Fact, Failure, Findings, PageHead, Panel, When } from "../../ui/parts";
import { useSession } from "../session/queries";
import { type Review, useReview, useReviewAct } from "./queries";
import { Verdict } from "./Verdict";

/** Is this build fit for its channel? Everything about it, and the verdict. */
export function ReviewPage() {
  const { title = "", review = "" } = useParams();
  const number = Number(review);
  const found = useReview(title, number);
  return (
    <Answer of={found} rows={10}>
      {(data) => (
        <>
          <PageHead title={`${data.title_name} ${data.version_name} for ${data.platform}`} aside={<Claim data={data} />}>
            {data.build_name}, for the channel {data.channel}; put there by {data.made_by} <When at={data.since} />. A verdict was promised{" "}
            <When at={data.promised} />.
          </PageHead>
          <Stack gap="md">
            <Panel
              title={capital(data.words)}
              aside={data.claimed_by ? (data.mine ? "you have it" : `${data.claimed_by} has it`) : undefined}
            >
              {data.notes && <p style={{ marginTop: 0 }}>{data.notes}</p>}
              <Verdict data={data} />
            </Panel>
            <Said data={data} />
            <div className="halves" style={{ marginTop: 0 }}>
              <Bundle data={data} />
              <Since data={data} />
            </div>
            {data.findings.length > 0 && (
              <Panel title="What our checks find">
                <Findings findings={data.findings} />
              </Panel>
            )}
            <Earlier data={data} />
          </Stack>
        </>
      )}
    </Answer>
  );
}

function Claim({ data }: { data: Review }) {
  const act = useReviewAct(data.title, data.number);
  const of = (name: string) => data.allowed_actions.find((a) => a.name === name);
  const claim = of("claim");
  const back = of("lapse");
  const send = (name: "claim" | "lapse") => act.mutate({ act: name, text: "", about: "", reason: "" });
  return (
    <>
      {act.error && <Failure error={act.error} />}
      {claim && (
        <Button disabled={!claim.possible} title={claim.reason} loading={act.isPending} onClick={() => send("claim")}>
          Claim it
        </Button>
      )}
      {back && data.mine && (
        <Button variant="default" loading={act.isPending} onClick={() => send("lapse")}>
          Give it back
        </Button>
      )}
    </>
  );
}

const KINDS: Record<string, string> = {
  note: "noted for reviewers",
  ask: "asked",
  refuse: "refused",
  pass: "passed it",
  answer: "answered",
  appeal: "appealed",
  withdraw: "withdrew it",
  lapse: "gave it back",
};

function Said({ data }: { data: Review }) {
  if (!data.said.length) return null;
  return (
    <Panel title="What was said" aside={plural(data.said.length, "word")}>
      {data.said.map((word) => (
        <div key={`${word.at} ${word.kind}`} style={{ marginBottom: 8 }}>
          <b>{word.by}</b> {KINDS[word.kind] ?? word.kind} <When at={word.at} />
          {word.about && <span className="dim"> on {word.about}</span>}
          {word.reason && <span className="dim"> ({data.reasons[word.reason] ?? word.reason})</span>}
          {word.text && <div style={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}>{word.text}</div>}
        </div>
      ))}
    </Panel>
  );
}

function Bundle({ data }: { data: Review }) {
  const { data: session } = useSession();
  const reader = session?.person.role !== "reviewer";
  const { bundle, listing } = data;
  return (
    <Panel title="Bundle and listing">
      {bundle === null ? (
        <span className="dim">Its content is not there any more.</span>
      ) : (
        <dl className="facts">
          <Fact term="Bundle">
            {bundle.kind}, {bytes(bundle.size)}, {plural(bundle.files, "file")}, {bytes(bundle.unpacked)} unpacked
          </Fact>
          <Fact term="Identity">
            {bundle.identifier}, {bundle.version_code.toLocaleString("en")}
          </Fact>
          <Fact term="Signed by">{bundle.signed_by || "nobody"}</Fact>
          <Fact term="Runs on">
            {bundle.architectures.join(", ")}
            {bundle.minimum && `, from ${bundle.minimum}`}
            {bundle.target && `, made for ${bundle.target}`}
          </Fact>
          <Fact term="Permissions">
            {Object.keys(bundle.permissions).length === 0
              ? "it asks for none"
              : Object.entries(bundle.permissions).map(([name, reason]) => (
                  <div key={name}>
                    <b>{name}</b>: {reason}
                  </div>
                ))}
          </Fact>
          <Fact term="Frameworks">{bundle.frameworks.map((f) => `${f.name} ${f.version}`).join(", ") || "none that says its version"}</Fact>
          <Fact term="Listing">
            {listing.state === 0 ? (
              "none yet"
            ) : (
              <>
                {reader ? <Link to={`/titles/${data.title}/listing`}>state {listing.state}</Link> : `state ${listing.state}`}: "
                {listing.name}", {listing.short} In {listing.languages.join(", ")}; {plural(listing.pictures, "picture")};{" "}
                {listing.rated_by ? `rating affirmed by ${listing.rated_by}` : "rating not affirmed"}
              </>
            )}
          </Fact>
          {bundle.release_notes && <Fact term="Notes">{bundle.release_notes}</Fact>}
        </dl>
      )}
    </Panel>
  );
}

function Since({ data }: { data: Review }) {
  const last = data.since_last;
  if (!last)
    return (
      <Panel title="Since the last one that passed">
        <span className="dim">None of this profile passed for {data.channel} yet.</span>
      </Panel>
    );
  return (
    <Panel title={`Since #${last.build}, ${last.version_name}`} aside="which passed">
      <p style={{ marginTop: 0 }}>
        {plural(last.added, "file")} added, {last.changed} changed, {last.removed} removed.
        {last.permissions_new.length > 0 && <b> Asks newly for {last.permissions_new.join(", ")}.</b>}
        {last.permissions_gone.length > 0 && ` Asks no more for ${last.permissions_gone.join(", ")}.`}
      </p>
      <table className="rows">
        <tbody>
          {last.files.slice(0, 12).map((file) => (
            <tr key={`${file.kind} ${file.path}`}>
              <td className="tight dim">{file.kind}</td>
              <td className="path mono">{file.path}</td>
              <td className="number">{bytes(file.new_size - file.old_size, true)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Panel>
  );
}

function Earlier({ data }: { data: Review }) {
  if (!data.earlier.length) return null;
  return (
    <Panel title="What was said of earlier builds" flush>
      <table className="rows">
        <tbody>
          {data.earlier.map((one) => (
            <tr key={one.number}>
              <td className="tight sentence">
                <Link to={`/titles/${data.title}/reviews/${one.number}`}>#{one.build}</Link> {one.version_name}
              </td>
              <td className="tight">{capital(one.words)}</td>
              <td>
                {one.last ? (
                  <span title={exact(one.last.at)}>
                    {one.last.by}: {one.last.text}
                  </span>
                ) : (
                  <span className="dim">no words</span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Panel>
  );
}
