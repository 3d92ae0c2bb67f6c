import { Button, Group, Select, TextInput } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";

import { Pager } from "../../ui/Pager";
import { Answer, PageHead, Panel } from "../../ui/parts";
import { altered } from "../../ui/search";
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
];

/** What runs, what waits, what came of the others? Filters are in the address. */
export function RunsPage() {
  const { title = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const { data: found } = useTitle(title);
  const [typed, setTyped] = useState(search.get("search") ?? "");
  const [settled] = useDebouncedValue(typed, 250);
  useRunsLive(title);
  const set = (name: string, value: string | null) => setSearch((now) => altered(now, { cursor: null, [name]: value }));
  useEffect(() => {
    if (settled !== (search.get("search") ?? "")) set("search", settled);
  }, [settled]);
  const open = useRuns(title, { state: "open", limit: 100 });
  const runs = useRuns(title, { ...Object.fromEntries(search.entries()), limit: 25 });
  return (
    <>
      <PageHead
        title={`Runs of ${found?.name ?? title}`}
        aside={
          <>
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
        <Select
          aria-label="State"
          placeholder="Every state"
          size="xs"
          clearable
          w={140}
          data={STATES}
          value={search.get("state")}
          onChange={(v) => set("state", v)}
        />
        <Select
          aria-label="Profile"
          placeholder="Every profile"
          size="xs"
          clearable
          data={found?.profiles.map((p) => p.name) ?? []}
          value={search.get("profile")}
          onChange={(v) => set("profile", v)}
        />
        <Select
          aria-label="Started by"
          placeholder="However started"
          size="xs"
          clearable
          w={160}
          data={WHY}
          value={search.get("why")}
          onChange={(v) => set("why", v)}
        />
        <TextInput
          aria-label="Search notes and commits"
          placeholder="Search notes and commits"
          size="xs"
          value={typed}
          onChange={(e) => setTyped(e.currentTarget.value)}
          w={200}
        />
      </Group>
      <Panel title="All runs" aside="newest first" flush>
        <Answer of={runs} rows={8}>
          {(page) => (
            <>
              <RunTable runs={page.items} title={title} />
              <Pager next={page.next} cursor={search.get("cursor")} go={(cursor) => set("cursor", cursor)} />
            </>
          )}
        </Answer>
      </Panel>
    </>
  );
}
