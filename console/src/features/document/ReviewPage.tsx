import "./document.css";
import "../profiles/matrix.css";

import { Button, TextInput } from "@mantine/core";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { plural } from "../../ui/format";
import { Answer, Empty, Failure, PageHead, Panel } from "../../ui/parts";
import { Differences, ProfileFindings } from "../profiles/parts";
import { useSettings } from "../profiles/queries";
import { Difference } from "./Difference";
import { Meanwhile } from "./Meanwhile";
import { type Drafts, type Review, useDrafts, useMakeRevision, useReview } from "./queries";

/** What would this draft change, before it does? */
export function ReviewPage() {
  const { title = "" } = useParams();
  const drafts = useDrafts(title);
  return (
    <Answer of={drafts} rows={10}>
      {(data) => (data.draft ? <Reviewed title={title} drafts={data} /> : <NoDraft title={title} />)}
    </Answer>
  );
}

function NoDraft({ title }: { title: string }) {
  return (
    <>
      <PageHead title="Review" />
      <Empty>
        There is no draft to review. <Link to={`/titles/${title}/document/edit`}>Begin one</Link>.
      </Empty>
    </>
  );
}

function Reviewed({ title, drafts }: { title: string; drafts: Drafts }) {
  const draft = drafts.draft!;
  const review = useReview(title, draft, drafts.revision);
  const make = useMakeRevision(title);
  const [message, setMessage] = useState("");
  const [key] = useState(() => crypto.randomUUID?.() ?? `revision-${Date.now()}-${Math.random()}`);
  const ready = review.data && !review.data.problems.length && !review.data.meanwhile && !review.data.same && !drafts.source;
  const confirm = () => make.mutate({ document: draft.document, message, seen: drafts.revision, key });
  return (
    <>
      <PageHead title="Review the draft" aside={<Link to={`/titles/${title}/document/edit`}>Go on editing</Link>}>
        Against revision {drafts.revision}. It becomes revision {drafts.revision + 1} when you confirm.
      </PageHead>
      <div
        className="panel"
        style={{ padding: "10px 14px", marginBottom: 16, display: "flex", gap: 12, alignItems: "end", flexWrap: "wrap" }}
      >
        <TextInput
          size="xs"
          style={{ flex: 1, minWidth: 240 }}
          label="Why it changes"
          placeholder="For those who read the history"
          maxLength={500}
          value={message}
          onChange={(e) => setMessage(e.currentTarget.value)}
        />
        <Button size="xs" variant="filled" disabled={!ready || !message.trim()} loading={make.isPending} onClick={confirm}>
          Make revision {drafts.revision + 1}
        </Button>
        <span className="dim" style={{ fontSize: 12.5 }}>
          {reason(review.data, drafts, message)}
        </span>
        {make.error && (
          <Failure
            error={make.error}
            retry={() => {
              make.reset();
              void review.refetch();
            }}
          />
        )}
      </div>
      <Answer of={review} rows={12}>
        {(data) =>
          data.meanwhile ? (
            <Meanwhile title={title} meanwhile={data.meanwhile} />
          ) : (
            <div style={{ display: "grid", gap: 16 }}>
              <Effects data={data} title={title} />
              <Panel title="Difference of the texts" flush>
                <Difference text={data.difference} />
              </Panel>
            </div>
          )
        }
      </Answer>
    </>
  );
}

/** Why it cannot be confirmed now. */
function reason(review: Review | undefined, drafts: Drafts, message: string): string {
  if (!review) return "";
  if (drafts.source) return "The document lives in a repository: download the text instead.";
  if (review.same) return "The draft says the same as the newest revision.";
  if (review.problems.length) return `The text has ${plural(review.problems.length, "problem")}: it is no document yet.`;
  if (review.meanwhile) return "Somebody was faster: settle that first.";
  return message.trim() ? "" : "Say why, then confirm.";
}

function Effects({ data, title }: { data: Review; title: string }) {
  const settings = useSettings();
  const groups = Object.fromEntries((settings.data?.groups ?? []).map((g) => [g.name, g.label]));
  if (data.problems.length) {
    return (
      <Panel title="Not a document yet">
        {data.problems.slice(0, 10).map((p, i) => (
          <div key={i} className="finding">
            <b>Line {p.line}</b>
            <span>
              {p.key} {p.message}. <span className="dim">{p.hint}</span>
            </span>
          </div>
        ))}
      </Panel>
    );
  }
  return (
    <>
      <div className="halves" style={{ marginTop: 0, gridTemplateColumns: "minmax(0,1fr) minmax(0,1fr)" }}>
        <Panel title="Findings that it adds" aside={String(data.findings_added.length)}>
          {data.findings_added.length ? (
            <ProfileFindings findings={data.findings_added} title={title} revision={0} />
          ) : (
            <span className="dim">None.</span>
          )}
        </Panel>
        <Panel title="Findings that it removes" aside={String(data.findings_removed.length)}>
          {data.findings_removed.length ? (
            <ProfileFindings findings={data.findings_removed} title={title} revision={0} />
          ) : (
            <span className="dim">None.</span>
          )}
        </Panel>
      </div>
      {data.profiles.length === 0 && (
        <Panel title="Profiles">
          <span className="dim">No profile resolves to anything else.</span>
        </Panel>
      )}
      {data.profiles.map((p) => (
        <Panel key={p.name} title={p.name} aside={p.state === "changed" ? plural(p.differences.length, "setting") : p.state} flush>
          {p.differences.length > 0 && <Differences differences={p.differences} groups={groups} left="now" right="then" />}
          <p className="dim" style={{ padding: "0 14px", fontSize: 13 }}>
            {p.builds.length === 0 ? (
              "No build was made from it yet."
            ) : (
              <>
                Builds stay as they are; the next one is otherwise than{" "}
                {p.builds.map((b, i) => (
                  <span key={b.number}>
                    {i > 0 && ", "}
                    <Link to={`/titles/${title}/builds/${b.number}`}>
                      #{b.number} {b.version_name}
                    </Link>
                    {b.live_on.length > 0 && ` (live on ${b.live_on.join(", ")})`}
                  </span>
                ))}
                .
              </>
            )}
          </p>
        </Panel>
      ))}
    </>
  );
}
