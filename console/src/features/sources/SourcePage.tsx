import { Button, Tabs, TextInput } from "@mantine/core";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";

import { ApiError, type Schemas } from "../../app/http";
import { plural } from "../../ui/format";
import { Answer, Digest, Failure, PageHead, SeverityMark, When } from "../../ui/parts";
import { ConnectForm } from "./ConnectForm";
import { Defaults } from "./Defaults";
import { InTree } from "./InTree";
import { type Source, useCommits, useFetch, useRefs, useSource } from "./queries";
import { Triggers } from "./Triggers";

/** Where do the title's files come from, and what was built of what? */
export function SourcePage() {
  const { title = "" } = useParams();
  const source = useSource(title);
  const [changing, change] = useState(false);
  if (source.error instanceof ApiError && source.error.problem.code === "source.none") {
    return (
      <>
        <PageHead title="Source">No repository is connected yet.</PageHead>
        <ConnectForm title={title} />
      </>
    );
  }
  return (
    <Answer of={source} rows={8}>
      {(s) =>
        changing ? (
          <>
            <PageHead title="Source" />
            <ConnectForm title={title} known={s} done={() => change(false)} />
          </>
        ) : (
          <Connected title={title} source={s} change={() => change(true)} />
        )
      }
    </Answer>
  );
}

function Connected({ title, source, change }: { title: string; source: Source; change: () => void }) {
  const [search, setSearch] = useSearchParams();
  const fetching = useFetch(title);
  const tab = search.get("tab") ?? (search.get("of") ? "commits" : "branches");
  return (
    <>
      <PageHead
        title="Source"
        aside={
          <>
            <Button size="compact-md" variant="default" onClick={change}>
              Change …
            </Button>
            <Button size="compact-md" variant="default" loading={fetching.isPending} onClick={() => fetching.mutate()}>
              Fetch now
            </Button>
            <Button size="compact-md" component={Link} to={`/titles/${title}/runs/start`}>
              Start runs …
            </Button>
          </>
        }
      >
        <span className="mono">{source.address}</span> · {plural(source.branches, "branch", "branches")}, {plural(source.tags, "tag")}
        {source.fetched_at && (
          <>
            {" "}
            · fetched <When at={source.fetched_at} />
          </>
        )}
        {source.every > 0 && <>, looked at every {source.every} s</>}
        {source.credential && <> · with a {source.credential}</>}
        {source.submodules && <> · with submodules</>}
      </PageHead>
      {source.error && (
        <div
          className="headline failed"
          role="alert"
          style={{ border: "1px solid var(--r-blocker)", padding: "8px 14px", marginBottom: 14, borderRadius: 4 }}
        >
          <SeverityMark severity="blocker" /> The last fetch failed: {source.error}
        </div>
      )}
      {fetching.error && <Failure error={fetching.error} />}
      <section className="panel">
        <Tabs value={tab} onChange={(t) => setSearch(t ? { tab: t } : {})} keepMounted={false}>
          <Tabs.List>
            <Tabs.Tab value="branches">Branches</Tabs.Tab>
            <Tabs.Tab value="tags">Tags</Tabs.Tab>
            <Tabs.Tab value="commits">Commits</Tabs.Tab>
            <Tabs.Tab value="document">Document</Tabs.Tab>
            <Tabs.Tab value="triggers">Triggers</Tabs.Tab>
            <Tabs.Tab value="defaults">Defaults of branches</Tabs.Tab>
          </Tabs.List>
          <Tabs.Panel value="branches">
            <Refs title={title} kind="branch" />
          </Tabs.Panel>
          <Tabs.Panel value="tags">
            <Refs title={title} kind="tag" />
          </Tabs.Panel>
          <Tabs.Panel value="commits">
            <Commits title={title} branch={source.branch} />
          </Tabs.Panel>
          <Tabs.Panel value="document">
            <InTree title={title} branch={source.branch} />
          </Tabs.Panel>
          <Tabs.Panel value="triggers">
            <Triggers title={title} />
          </Tabs.Panel>
          <Tabs.Panel value="defaults">
            <Defaults title={title} source={source} />
          </Tabs.Panel>
        </Tabs>
      </section>
    </>
  );
}

function Refs({ title, kind }: { title: string; kind: "branch" | "tag" }) {
  const [search, setSearch] = useState("");
  const refs = useRefs(title, kind, search);
  return (
    <>
      <div style={{ padding: 10 }}>
        <TextInput
          aria-label={`Find a ${kind}`}
          placeholder={`Find a ${kind}`}
          size="xs"
          w={240}
          value={search}
          onChange={(e) => setSearch(e.currentTarget.value)}
        />
      </div>
      <Answer of={refs} rows={5}>
        {(page) => (
          <table className="rows">
            <thead>
              <tr>
                <th>{kind === "branch" ? "Branch" : "Tag"}</th>
                <th>Newest commit</th>
                <th className="wide">Message</th>
                <th className="wide">By</th>
                <th>Built from it</th>
                {kind === "branch" && <th className="wide">Profiles of its own</th>}
                <td />
              </tr>
            </thead>
            <tbody>
              {page.items.map((r) => (
                <tr key={r.name}>
                  <td className="tight">
                    <Link to={`/titles/${title}/source?of=${encodeURIComponent(`${kind}/${r.name}`)}`} style={{ fontWeight: 600 }}>
                      {r.name}
                    </Link>
                  </td>
                  <td className="tight">
                    <Digest value={r.commit} what="commit" length={10} />
                  </td>
                  <td className="wide">{r.subject}</td>
                  <td className="wide tight">
                    {r.author}, <When at={r.at} />
                  </td>
                  <td>
                    <Built title={title} built={r.built} />
                  </td>
                  {kind === "branch" && (
                    <td className="wide dim">{r.profiles.length > 2 ? plural(r.profiles.length, "profile") : r.profiles.join(", ")}</td>
                  )}
                  <td>
                    <Link to={`/titles/${title}/runs/start?of=${encodeURIComponent(`${kind}/${r.name}`)}`}>Build</Link>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Answer>
    </>
  );
}

function Commits({ title, branch }: { title: string; branch: string }) {
  const [search, setSearch] = useSearchParams();
  const of = search.get("of") ?? `branch/${branch}`;
  const commits = useCommits(title, of, search.get("cursor") ?? "");
  return (
    <>
      <div className="dim" style={{ padding: "10px 14px 2px" }}>
        Of {of.slice(of.indexOf("/") + 1)}, newest first.
      </div>
      <Answer of={commits} rows={8}>
        {(page) => (
          <>
            <table className="rows">
              <thead>
                <tr>
                  <th>Commit</th>
                  <th>Message</th>
                  <th className="wide">By</th>
                  <th>Built from it</th>
                </tr>
              </thead>
              <tbody>
                {page.items.map((c) => (
                  <tr key={c.commit}>
                    <td className="tight">
                      <Digest value={c.commit} what="commit" length={10} />
                    </td>
                    <td>{c.subject}</td>
                    <td className="wide tight">
                      {c.author}, <When at={c.at} />
                    </td>
                    <td>
                      <Built title={title} built={c.built} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            {page.next && (
              <Button m="sm" size="compact-sm" variant="default" onClick={() => setSearch({ tab: "commits", of, cursor: page.next! })}>
                Older
              </Button>
            )}
          </>
        )}
      </Answer>
    </>
  );
}

function Built({ title, built }: { title: string; built: Schemas["BuiltFrom"][] }) {
  if (built.length === 0) return <span className="dim">nothing yet</span>;
  return (
    <>
      {built.slice(0, 3).map((b, n) => (
        <span key={b.run}>
          {n > 0 && ", "}
          {b.build ? (
            <Link to={`/titles/${title}/builds/${b.build}`} title={b.profile}>
              #{b.build}
            </Link>
          ) : (
            <Link to={`/titles/${title}/runs/${b.run}`} title={b.profile}>
              run {b.run} {b.state}
            </Link>
          )}
        </span>
      ))}
      {built.length > 3 && <span className="dim"> and {built.length - 3} more</span>}
    </>
  );
}
