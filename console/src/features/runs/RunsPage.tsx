import { Button, Group } from "@mantine/core";
import { Link, useParams } from "react-router";

import { Choose, Search, useFilters } from "../../ui/filters";
import { Pager } from "../../ui/Pager";
import { Answer, PageHead, Panel } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { OpenRuns } from "./OpenRuns";
import { useRuns, useRunsLive } from "./queries";
import { RunTable } from "./RunTable";
import "./runs.css";

const STATES = ["waiting", "working", "done", "failed", "cancelled", "superseded"];
const WHY = [
  { value: "manual", label: "Manual" },
  { value: "trigger", label: "By a trigger" },
  { value: "schedule", label: "By a schedule" },
  { value: "call", label: "By a call" },
  { value: "repeat", label: "Repeated" },
  { value: "bisect", label: "By a bisect" },
];

/** What runs, what waits, what came of the others? */
export function RunsPage() {
  const { title = "" } = useParams();
  const filters = useFilters();
  const { data: found } = useTitle(title);
  useRunsLive(title);
  const open = useRuns(title, { state: "open", limit: 100 });
  const runs = useRuns(title, { ...filters.asked, limit: 25 });
  return (
    <>
      <PageHead
        title={`Runs of ${found?.name ?? title}`}
        aside={
          <>
            <Button component={Link} to={`/titles/${title}/bisects`} variant="default" size="compact-md">
              Bisects
            </Button>
            <Button component={Link} to="/queue" variant="default" size="compact-md">
              Whole queue
            </Button>
            <Button component={Link} to={`/titles/${title}/runs/start`} size="compact-md">
              Start runs …
            </Button>
          </>
        }
      />
      <Answer of={open} rows={3}>
        {(page) => (page.items.length ? <OpenRuns runs={page.items} title={title} heard={open.dataUpdatedAt} /> : null)}
      </Answer>
      <Group gap="sm" mb="sm">
        <Choose of={filters} name="state" label="State" every="Every state" data={STATES} w={140} />
        <Choose of={filters} name="profile" label="Profile" every="Every profile" data={found?.profiles.map((p) => p.name) ?? []} />
        <Choose of={filters} name="why" label="Started by" every="However started" data={WHY} w={160} />
        <Search of={filters} label="Search notes and commits" w={200} />
      </Group>
      <Panel title="All runs" aside="newest first" flush>
        <Answer of={runs} rows={8}>
          {(page) => (
            <>
              <RunTable runs={page.items} title={title} />
              <Pager next={page.next} cursor={filters.get("cursor")} go={(cursor) => filters.set("cursor", cursor)} />
            </>
          )}
        </Answer>
      </Panel>
    </>
  );
}
