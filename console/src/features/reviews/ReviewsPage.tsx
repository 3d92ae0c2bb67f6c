import { SegmentedControl } from "@mantine/core";
import { Link, useSearchParams } from "react-router";

import { capital } from "../../ui/format";
import { Pager } from "../../ui/Pager";
import { Answer, Command, Empty, PageHead, Panel, When } from "../../ui/parts";
import { type ReviewRow, useReviews } from "./queries";
import { TimesPanel } from "./TimesPanel";

/** What waits for one of us reviewers, and what was promised first? */
export function ReviewsPage() {
  const [query, setQuery] = useSearchParams();
  const view = query.get("view") ?? "open";
  const asked: Record<string, string> = { limit: "50", view: view === "over" ? "over" : "open" };
  if (view === "mine") asked.mine = "true";
  if (query.get("cursor")) asked.cursor = query.get("cursor")!;
  const found = useReviews(asked);
  const go = (next: Record<string, string>) => setQuery(next, { replace: true });
  return (
    <>
      <PageHead title="Review desk" aside={<Command text="bin/rampa review list" />}>
        Builds before the studio's own reviewers: what was promised first stands first. A claim lapses after 15 minutes without a word.
      </PageHead>
      <div className="filters">
        <SegmentedControl
          aria-label="Which ones"
          size="xs"
          data={[
            { value: "open", label: "Waits for a verdict" },
            { value: "mine", label: "Mine" },
            { value: "over", label: "Over" },
          ]}
          value={view}
          onChange={(value) => go(value === "open" ? {} : { view: value })}
        />
      </div>
      <Panel title="Queue" aside={view === "over" ? "newest first" : "by promise"} flush>
        <Answer of={found}>
          {(page) => (
            <>
              {page.items.length ? (
                <Rows rows={page.items} />
              ) : (
                <Empty command="bin/rampa review put BUILD --for public">
                  {view === "mine" ? "You have claimed nothing." : "Nothing waits for a verdict. A build is put here from its own page."}
                </Empty>
              )}
              <Pager
                next={page.next}
                cursor={query.get("cursor")}
                go={(cursor) => go({ ...(view === "open" ? {} : { view }), ...(cursor ? { cursor } : {}) })}
              />
            </>
          )}
        </Answer>
      </Panel>
      <div style={{ marginTop: 16 }}>
        <TimesPanel />
      </div>
    </>
  );
}

function Rows({ rows }: { rows: ReviewRow[] }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Build</th>
          <th className="wide">For</th>
          <th>State</th>
          <th className="wide">Waits since</th>
          <th>Promised</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={`${row.title} ${row.number}`}>
            <td className="sentence">
              <Link to={`/titles/${row.title}/reviews/${row.number}`} style={{ fontWeight: 600 }}>
                {row.title_name} {row.version_name}
              </Link>{" "}
              <span className="dim">
                #{row.build} {row.platform}
              </span>
            </td>
            <td className="wide tight">{row.channel}</td>
            <td>{row.mine ? <b>You have it</b> : row.claimed_by ? `${row.claimed_by} has it` : capital(row.words)}</td>
            <td className="wide tight">
              <When at={row.since} /> <span className="dim">by {row.made_by}</span>
            </td>
            <td className="tight">
              {row.late > 0 && ["waiting", "reviewing", "question"].includes(row.state) ? (
                <span className="severity warning">
                  <span aria-hidden>▲</span> late: <When at={row.promised} />
                </span>
              ) : (
                <When at={row.promised} />
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
