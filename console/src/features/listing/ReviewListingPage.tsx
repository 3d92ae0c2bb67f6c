import "./listing.css";
import "../document/document.css";

import { Button, TextInput } from "@mantine/core";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import type { Schemas } from "../../app/http";
import { Answer, Empty, Failure, PageHead, Panel } from "../../ui/parts";
import { Changes } from "./Changes";
import { ListingFindings } from "./ListingFindings";
import { type ListingDraft, useDraftOf, useListing, useRebase, useReviewOf, useRules, useSaveDraft } from "./queries";

type Review = Schemas["ListingReview"];

/** What would saving this draft change, before it does? */
export function ReviewListingPage() {
  const { title = "" } = useParams();
  const draft = useDraftOf(title);
  return (
    <Answer of={draft} rows={10}>
      {(data) =>
        data.version ? (
          <Reviewed title={title} draft={data} />
        ) : (
          <>
            <PageHead title="Review" />
            <Empty>
              There is no draft to review. <Link to={`/titles/${title}/listing/edit`}>Begin one</Link>.
            </Empty>
          </>
        )
      }
    </Answer>
  );
}

function Reviewed({ title, draft }: { title: string; draft: ListingDraft }) {
  const review = useReviewOf(title, draft.version);
  const listing = useListing(title);
  const save = useSaveDraft(title);
  const navigate = useNavigate();
  const [message, setMessage] = useState("");
  const source = listing.data?.source ?? "";
  const why = reason(review.data, message, source);
  const confirm = () =>
    save.mutate({ message, seen: draft.version }, { onSuccess: () => void navigate(`/titles/${title}/listing?view=history`) });
  return (
    <>
      <PageHead title="Review the draft of the listing" aside={<Link to={`/titles/${title}/listing/edit`}>Go on editing</Link>}>
        Against state {draft.newest}. It becomes state {draft.newest + 1} when you save.
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
        <Button size="xs" variant="filled" disabled={Boolean(why)} loading={save.isPending} onClick={confirm}>
          Save state {draft.newest + 1}
        </Button>
        <span className="dim" style={{ fontSize: 12.5 }}>
          {why}
        </span>
        {save.error && <Failure error={save.error} retry={() => void review.refetch()} />}
      </div>
      <Answer of={review} rows={12}>
        {(data) =>
          data.meanwhile ? <Both title={title} review={data} meanwhile={data.meanwhile} /> : <Effects title={title} review={data} />
        }
      </Answer>
    </>
  );
}

/** Why it cannot be saved now; empty where it can. */
function reason(review: Review | undefined, message: string, source: string): string {
  if (!review) return "Looking …";
  if (source) return "The listing lives in a repository: change it there.";
  if (review.problems.length) return "It cannot be read as it is: mend that first.";
  if (review.meanwhile) return "Somebody was faster: take both changes together first.";
  if (!review.changes.length) return "The draft says what the newest state says.";
  return message.trim() ? "" : "Say why, then save.";
}

function Effects({ title, review }: { title: string; review: Review }) {
  const rules = useRules();
  const names = Object.fromEntries((rules.data?.items ?? []).map((r) => [r.storefront, r.title]));
  const panels = { "Findings that it adds": review.findings_added, "Findings that it removes": review.findings_removed };
  return (
    <div style={{ display: "grid", gap: 16 }}>
      {review.problems.length > 0 && (
        <Panel title="Cannot be read">
          {review.problems.map((problem) => (
            <div className="finding" key={problem} style={{ gridTemplateColumns: "1fr" }}>
              {problem}
            </div>
          ))}
        </Panel>
      )}
      <div className="halves" style={{ marginTop: 0, gridTemplateColumns: "minmax(0,1fr) minmax(0,1fr)" }}>
        {Object.entries(panels).map(([label, findings]) => (
          <Panel key={label} title={label} aside={String(findings.length)}>
            {findings.length ? <ListingFindings title={title} findings={findings} names={names} /> : <span className="dim">None.</span>}
          </Panel>
        ))}
      </div>
      <Panel title="What changes" aside={String(review.changes.length)} flush>
        <Changes changes={review.changes} />
      </Panel>
    </div>
  );
}

/** Two people changed it: both sides in sight, and one act that takes them together. */
function Both({ title, review, meanwhile }: { title: string; review: Review; meanwhile: Schemas["ListingMeanwhile"] }) {
  const rebase = useRebase(title);
  return (
    <div style={{ display: "grid", gap: 16 }}>
      <div className="headline silent">
        {meanwhile.by} saved state {meanwhile.number} meanwhile{meanwhile.message && `: “${meanwhile.message}”`}. Taking both together
        changes your draft alone; you review it once more.
        <div style={{ marginTop: 8 }}>
          <Button size="xs" variant="filled" loading={rebase.isPending} onClick={() => rebase.mutate(meanwhile.number)}>
            Take both together
          </Button>
        </div>
        {rebase.error && <Failure error={rebase.error} />}
      </div>
      {meanwhile.clashes.length > 0 && (
        <Panel title="Said otherwise by both" aside={`${meanwhile.clashes.length}, yours is kept`} flush>
          {meanwhile.clashes.map((c) => (
            <div className="change" key={`${c.file} ${c.path.join(".")}`}>
              <b>{c.file}</b> <span className="mono">{c.path.join(".")}</span>
              <pre className="went">theirs: {c.theirs ?? "taken out"}</pre>
              <pre className="came">yours: {c.mine ?? "taken out"}</pre>
            </div>
          ))}
        </Panel>
      )}
      <div className="halves" style={{ marginTop: 0, gridTemplateColumns: "minmax(0,1fr) minmax(0,1fr)" }}>
        <Panel title={`What ${meanwhile.by} changed`} flush>
          <Changes changes={meanwhile.theirs} />
        </Panel>
        <Panel title="Both together, against the newest state" flush>
          <Changes changes={review.changes} />
        </Panel>
      </div>
    </div>
  );
}
