import "./document.css";
import "../profiles/matrix.css";

import { Button, Tabs } from "@mantine/core";
import { lazy, Suspense } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import type { Schemas } from "../../app/http";
import { Answer, Command, Loading, PageHead, Panel, When } from "../../ui/parts";
import { altered } from "../../ui/search";
import { Differences } from "../profiles/parts";
import { useSettings } from "../profiles/queries";
import { useRevision, useRevisions, useTitle } from "../titles/queries";
import { Difference } from "./Difference";
import { download, Owned } from "./Owned";
import { useDrafts, useReplaceDraft, useRevisionChange } from "./queries";

const TextEditor = lazy(() => import("./TextEditor"));

/** How is this title built, and who changed that when and why? */
export function DocumentPage() {
  const { title = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const revisions = useRevisions(title);
  const { data: found } = useTitle(title);
  const drafts = useDrafts(title);
  const shown = Number(search.get("revision")) || found?.revision;
  const text = useRevision(title, shown);
  const view = search.get("view") === "change" ? "change" : "text";
  const owned = Boolean(found?.source);
  return (
    <>
      <PageHead
        title={`Profile document of ${found?.name ?? title}`}
        aside={
          <>
            <Command text="bin/rampa title import FOLDER" />
            {text.data && (
              <Button size="xs" variant="default" onClick={() => download("rampa.toml", text.data!.document)}>
                Download
              </Button>
            )}
            <Button size="xs" variant="filled" component={Link} to={`/titles/${title}/document/edit`}>
              {drafts.data?.draft ? "Go on with my draft" : owned ? "Edit a copy" : "Edit"}
            </Button>
          </>
        }
      >
        Every platform in one text. Each change is a revision.
      </PageHead>
      <Owned source={found?.source ?? ""} path={found?.source_path ?? ""} />
      <div className="document editing">
        <section className="panel">
          <Tabs
            value={view}
            onChange={(v) => setSearch((now) => altered(now, { view: v ?? "text" }), { replace: true })}
            keepMounted={false}
          >
            <Tabs.List>
              <Tabs.Tab value="text">Revision {shown ?? ""}</Tabs.Tab>
              <Tabs.Tab value="change">What it changed</Tabs.Tab>
            </Tabs.List>
            <Tabs.Panel value="text">
              <Answer of={text} rows={16}>
                {(revision) => (
                  <Suspense fallback={<Loading rows={16} />}>
                    <TextEditor
                      label="The document's text"
                      text={revision.document}
                      readOnly
                      line={Number(search.get("line")) || undefined}
                    />
                  </Suspense>
                )}
              </Answer>
            </Tabs.Panel>
            <Tabs.Panel value="change">
              <Changed title={title} number={shown} />
            </Tabs.Panel>
          </Tabs>
        </section>
        <Panel title="Revisions" flush>
          <Answer of={revisions} rows={3}>
            {({ items }) => (
              <ul className="scroll" style={{ listStyle: "none", margin: 0, padding: 0 }} aria-label="Revisions">
                {items.map((r) => (
                  <Revision
                    key={r.number}
                    revision={r}
                    title={title}
                    shown={r.number === shown}
                    newest={found?.revision}
                    hasDraft={Boolean(drafts.data?.draft)}
                    owned={owned}
                  />
                ))}
              </ul>
            )}
          </Answer>
        </Panel>
      </div>
    </>
  );
}

interface RevisionProps {
  revision: Schemas["Revision"];
  title: string;
  shown: boolean;
  newest: number | undefined;
  hasDraft: boolean;
  owned: boolean;
}

function Revision({ revision: r, title, shown, newest, hasDraft, owned }: RevisionProps) {
  const [, setSearch] = useSearchParams();
  const back = useGoBack(title, shown ? r.number : undefined, newest);
  return (
    <li style={{ padding: "8px 14px", borderTop: "1px solid var(--r-line)" }}>
      <Button
        size="compact-xs"
        variant={shown ? "light" : "subtle"}
        onClick={() => setSearch((now) => altered(now, { revision: String(r.number), line: null }))}
        aria-current={shown ? "true" : undefined}
      >
        Revision {r.number}
      </Button>
      <div style={{ overflowWrap: "anywhere" }}>{r.message || <span className="dim">No message.</span>}</div>
      <div className="dim">
        {r.created_by}, <When at={r.created_at} />
        {r.commit && (
          <>
            , commit <span className="mono">{r.commit.slice(0, 12)}</span>
          </>
        )}
      </div>
      {shown && (
        <div style={{ display: "flex", gap: 8, marginTop: 4, flexWrap: "wrap", alignItems: "center", fontSize: 13 }}>
          <Link to={`/titles/${title}/profiles?revision=${r.number}`}>Its profiles</Link>
          <Link to={`/titles/${title}/check?revision=${r.number}`}>Its findings</Link>
          {newest !== undefined && r.number !== newest && !owned && (
            <Button
              size="compact-xs"
              variant="default"
              loading={back.isPending}
              disabled={hasDraft}
              title={hasDraft ? "You have a draft: finish it, or throw it away first." : undefined}
              onClick={() => back.mutate()}
            >
              Go back to it
            </Button>
          )}
          {hasDraft && newest !== r.number && <span className="dim">Going back needs your draft's place: finish it first.</span>}
        </div>
      )}
    </li>
  );
}

/** The old text becomes a draft on the newest revision: what going back changes is reviewed like any change. */
function useGoBack(title: string, number: number | undefined, newest: number | undefined) {
  const text = useRevision(title, number);
  const replace = useReplaceDraft(title);
  const navigate = useNavigate();
  const mutate = () => {
    if (!text.data || !newest) return;
    replace.mutate({ document: text.data.document, base: newest }, { onSuccess: () => void navigate(`/titles/${title}/document/review`) });
  };
  return { mutate, isPending: replace.isPending };
}

function Changed({ title, number }: { title: string; number: number | undefined }) {
  const change = useRevisionChange(title, number, true);
  const settings = useSettings();
  const groups = Object.fromEntries((settings.data?.groups ?? []).map((g) => [g.name, g.label]));
  return (
    <div className="scroll">
      <Answer of={change} rows={12}>
        {(data) =>
          data.before === 0 ? (
            <p className="dim" style={{ padding: "0 14px" }}>
              It is the first revision: there is nothing before it.
            </p>
          ) : (
            <>
              <Difference text={data.difference} />
              {data.profiles.map((p) => (
                <section key={p.name} style={{ borderTop: "1px solid var(--r-line)" }}>
                  <h2 style={{ fontSize: 14, margin: "10px 14px 4px" }}>
                    {p.name} {p.state !== "changed" && <span className="dim">({p.state})</span>}
                  </h2>
                  {p.differences.length > 0 && (
                    <Differences
                      differences={p.differences}
                      groups={groups}
                      left={`revision ${data.before}`}
                      right={`revision ${data.number}`}
                    />
                  )}
                </section>
              ))}
            </>
          )
        }
      </Answer>
    </div>
  );
}
