import { Button, SegmentedControl } from "@mantine/core";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { Pager } from "../../ui/Pager";
import { Answer, Command, Empty, PageHead, Panel, When } from "../../ui/parts";
import { Platform } from "../profiles/Platform";
import { useTitle } from "../titles/queries";
import { Bar } from "./Bar";
import { type SubmissionRow, useSubmissions } from "./queries";
import { RulesPanel } from "./RulesPanel";
import { State } from "./State";

/** What lies before which reviewers, and what waits for one of us? */
export function SubmissionsPage() {
  const { title = "" } = useParams();
  const { data: named } = useTitle(title);
  const [query, setQuery] = useSearchParams();
  const go = useNavigate();
  const asked: Record<string, string> = { limit: "50" };
  for (const key of ["open", "storefront", "cursor"]) if (query.get(key)) asked[key] = query.get(key)!;
  const found = useSubmissions(title, asked);
  const set = (key: string, value: string | null) => {
    const next = new URLSearchParams(query);
    if (value) next.set(key, value);
    else next.delete(key);
    if (key !== "cursor") next.delete("cursor");
    setQuery(next, { replace: true });
  };
  return (
    <>
      <PageHead
        title={`Submissions of ${named?.name ?? title}`}
        aside={
          <>
            <Command text={`bin/rampa submission list --title ${title}`} />
            <Button onClick={() => void go(`/titles/${title}/submissions/submit`)}>Submit …</Button>
          </>
        }
      >
        Builds put before the reviewers of storefronts, until they are live.
      </PageHead>
      <div className="filters">
        <SegmentedControl
          aria-label="Which ones"
          size="xs"
          data={[
            { value: "", label: "All" },
            { value: "true", label: "Something more comes" },
          ]}
          value={query.get("open") ?? ""}
          onChange={(value) => set("open", value)}
        />
      </div>
      <Panel title="Submissions" aside="newest first" flush>
        <Answer of={found}>
          {(page) => (
            <>
              {page.items.length ? (
                <Rows rows={page.items} />
              ) : (
                <Empty command={`bin/rampa submission plan ${title}#N`}>
                  Nothing is before reviewers. <Link to={`/titles/${title}/submissions/submit`}>Submit a build or a release</Link>: the plan
                  says what is missing first.
                </Empty>
              )}
              <Pager next={page.next} cursor={query.get("cursor")} go={(cursor) => set("cursor", cursor)} />
            </>
          )}
        </Answer>
      </Panel>
      <div style={{ marginTop: 16 }}>
        <RulesPanel />
      </div>
    </>
  );
}

function Rows({ rows }: { rows: SubmissionRow[] }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th className="number">Submission</th>
          <th>Build</th>
          <th>Storefront</th>
          <th>Where it is</th>
          <th className="wide">Since</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.number}>
            <td className="number">
              <Link to={`/titles/${row.title}/submissions/${row.number}`} style={{ fontWeight: 600 }}>
                {row.number}
              </Link>
            </td>
            <td className="tight sentence">
              <Link to={`/titles/${row.title}/builds/${row.build}`}>#{row.build}</Link> {row.version_name}{" "}
              <span className="dim wide">
                <Platform name={row.platform} />
              </span>
            </td>
            <td className="tight">{row.storefront_title}</td>
            <td>
              <State of={row} />
              {row.upload && row.course === "sending" && <Bar upload={row.upload} />}
              {row.said && <div className="dim">{row.said}</div>}
            </td>
            <td className="wide tight">
              <When at={row.moved_at} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
