import "./document.css";

import { Button, FileButton, Tabs } from "@mantine/core";
import { lazy, Suspense } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { ApiError } from "../../app/http";
import { Failure, Loading, PageHead, Panel, When } from "../../ui/parts";
import { altered } from "../../ui/search";
import { alike, ProfileFindings } from "../profiles/parts";
import { useTitle } from "../titles/queries";
import { Form } from "./Form";
import { download, Owned } from "./Owned";
import type { Drafts, Read } from "./queries";
import type { Mark } from "./TextEditor";
import { ThrowAway } from "./ThrowAway";
import { type Status, useDraft } from "./useDraft";

const TextEditor = lazy(() => import("./TextEditor"));
const SEVERITY = { blocker: "error", warning: "warning", note: "info" } as const;

/** How should this title be built from now on? A form and the text, both on the same draft. */
export function EditPage() {
  const { title = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const { data: found } = useTitle(title);
  const draft = useDraft(title);
  const { data: drafts, error } = draft.drafts;
  if (draft.text === null || !drafts) return error ? <Failure error={error} retry={() => void draft.reload()} /> : <Loading rows={14} />;
  const read = draft.read.data;
  const view = search.get("view") === "text" || (read && !read.matrix) ? "text" : "form";
  const review = async () => {
    await draft.keep();
    void navigate(`/titles/${title}/document/review`);
  };
  return (
    <>
      <PageHead
        title={`Draft for ${found?.name ?? title}`}
        aside={
          <>
            <Kept status={draft.status} drafts={drafts} savedAt={draft.savedAt} />
            <FileButton
              accept=".toml"
              onChange={(file) => file && void file.text().then(draft.change)}
              inputProps={{ "aria-label": "A document's file" }}
            >
              {(props) => (
                <Button {...props} size="xs" variant="default">
                  Load a file
                </Button>
              )}
            </FileButton>
            <ThrowAway
              title={title}
              text={draft.text}
              newest={drafts.document}
              disabled={draft.status === "unchanged"}
              done={draft.forget}
            />
            {drafts.source ? (
              <Button size="xs" variant="filled" onClick={() => download("rampa.toml", draft.text!)}>
                Download the text
              </Button>
            ) : (
              <Button size="xs" variant="filled" onClick={() => void review()} disabled={draft.text === drafts.document}>
                Review
              </Button>
            )}
          </>
        }
      >
        From revision {draft.base}. Nothing changes for anybody until you have reviewed it and made it a revision.
      </PageHead>
      <Owned source={drafts.source} path={drafts.source_path} />
      <Others drafts={drafts} />
      <Trouble draft={draft} title={title} />
      <div className="editing">
        <section className="panel">
          <Tabs
            value={view}
            onChange={(v) => setSearch((now) => altered(now, { view: v ?? "form" }), { replace: true })}
            keepMounted={false}
          >
            <Tabs.List>
              <Tabs.Tab value="form" disabled={Boolean(read && !read.matrix)}>
                Form
              </Tabs.Tab>
              <Tabs.Tab value="text">Text</Tabs.Tab>
            </Tabs.List>
            <Tabs.Panel value="form">{read?.matrix ? <Form read={read} edit={draft.edit} /> : <Loading rows={10} />}</Tabs.Panel>
            <Tabs.Panel value="text">
              <Suspense fallback={<Loading rows={12} />}>
                <TextEditor
                  label="The draft's text"
                  text={draft.text}
                  marks={marks(read)}
                  change={draft.change}
                  line={Number(search.get("line")) || undefined}
                />
              </Suspense>
            </Tabs.Panel>
          </Tabs>
        </section>
        <aside>
          <Found read={read} title={title} fix={(findings) => void draft.edit(findings.flatMap((f) => f.fix))} />
        </aside>
      </div>
    </>
  );
}

const WORDS: Record<Status, string> = {
  unchanged: "No draft yet: type, and it is kept.",
  typing: "Typing …",
  keeping: "Keeping the draft …",
  kept: "Draft kept",
  elsewhere: "Not kept",
  failed: "Not kept",
};

function Kept({ status, drafts, savedAt }: { status: Status; drafts: Drafts; savedAt: string | null }) {
  const at = savedAt ?? drafts.draft?.saved_at;
  return (
    <span className="kept" role="status">
      {WORDS[status]}
      {status === "kept" && at && (
        <>
          , <When at={at} />
        </>
      )}
    </span>
  );
}

function Others({ drafts }: { drafts: Drafts }) {
  if (!drafts.others.length) return null;
  return (
    <div className="banner" role="note">
      <span>
        {drafts.others.map((o, i) => (
          <span key={o.person}>
            {i > 0 && ", "}
            <b>{o.person}</b> has a draft too, from revision {o.base}, kept <When at={o.saved_at} />
          </span>
        ))}
        . Whoever is second sees both changes before anything is made.
      </span>
    </div>
  );
}

/** A draft that could not be kept, or that somebody overtook. What was typed stays on the page. */
function Trouble({ draft, title }: { draft: ReturnType<typeof useDraft>; title: string }) {
  const moved = draft.drafts.data && draft.base !== draft.drafts.data.revision;
  return (
    <>
      {moved && (
        <div className="banner" role="alert">
          <span>
            Revision {draft.drafts.data!.revision} was made meanwhile. <Link to={`/titles/${title}/document/review`}>See both changes</Link>
            , and take them together.
          </span>
        </div>
      )}
      {(draft.status === "elsewhere" || draft.status === "failed") && (
        <div className="banner" role="alert">
          <span>{draft.error instanceof ApiError ? draft.error.message : String(draft.error)}. What you typed is still here.</span>
          {draft.status === "elsewhere" ? (
            <>
              <Button size="compact-sm" variant="default" onClick={() => void draft.reload()}>
                Load the other text
              </Button>
              <Button size="compact-sm" variant="default" onClick={() => void draft.overwrite()}>
                Keep this one
              </Button>
            </>
          ) : (
            <Button size="compact-sm" variant="default" onClick={() => void draft.keep()}>
              Try again
            </Button>
          )}
        </div>
      )}
    </>
  );
}

function Found({ read, title, fix }: { read: Read | undefined; title: string; fix: Parameters<typeof ProfileFindings>[0]["fix"] }) {
  if (!read)
    return (
      <Panel title="Findings">
        <Loading rows={4} />
      </Panel>
    );
  if (!read.matrix) {
    return (
      <Panel title="Not a document yet" aside={`${read.problems.length} problems`}>
        <ol style={{ margin: 0, paddingLeft: 18, fontSize: 13.5 }}>
          {read.problems.slice(0, 30).map((p, i) => (
            <li key={i} style={{ marginBottom: 6, overflowWrap: "anywhere" }}>
              <b>Line {p.line}</b>
              {p.key && <span className="mono"> {p.key}</span>}: {p.message}. <span className="dim">{p.hint}</span>
            </li>
          ))}
        </ol>
      </Panel>
    );
  }
  const findings = read.matrix.findings;
  return (
    <Panel title="Findings in the draft" aside={String(alike(findings).length)}>
      <div className="scroll">
        {findings.length ? (
          <ProfileFindings findings={findings} title={title} revision={0} fix={fix} />
        ) : (
          <span className="dim">The checks find nothing.</span>
        )}
      </div>
    </Panel>
  );
}

function marks(read: Read | undefined): Mark[] {
  if (!read) return [];
  if (!read.matrix)
    return read.problems.map((p) => ({ line: p.line, column: p.column, severity: "error", message: `${p.message}. ${p.hint}` }));
  return alike(read.matrix.findings)
    .map((group) => group[0]!)
    .filter((f) => f.origin.line)
    .map((f) => ({
      line: f.origin.line,
      column: f.origin.column,
      severity: SEVERITY[f.severity as keyof typeof SEVERITY],
      message: `${f.message}. ${f.hint}`,
    }));
}
