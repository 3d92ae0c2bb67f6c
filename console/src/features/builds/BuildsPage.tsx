import { Button, Group, Select, TextInput } from "@mantine/core";
import { Link, useParams } from "react-router";

import { Choose, Search, useFilters } from "../../ui/filters";
import { Pager } from "../../ui/Pager";
import { Answer, PageHead, Panel } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { BuildTable } from "./BuildTable";
import { useBuilds } from "./queries";

const PLACED = [
  { value: "true", label: "On a channel" },
  { value: "false", label: "On none" },
];

/** Which builds are there? */
export function BuildsPage() {
  const { title = "" } = useParams();
  const filters = useFilters();
  const { data: found } = useTitle(title);
  const builds = useBuilds(title, { ...filters.asked, limit: 25 });
  return (
    <>
      <PageHead
        title={`Builds of ${found?.name ?? title}`}
        aside={
          <>
            <Button component={Link} to={`/titles/${title}/builds/retention`} variant="default" size="compact-md">
              Retention
            </Button>
            <Button component={Link} to={`/titles/${title}/builds/compare`} variant="default" size="compact-md">
              Compare two
            </Button>
          </>
        }
      />
      <Group gap="sm" mb="sm">
        <Choose of={filters} name="profile" label="Profile" every="Every profile" data={found?.profiles.map((p) => p.name) ?? []} />
        <Choose of={filters} name="state" label="State" every="Every state" data={["open", "ready", "abandoned", "removed"]} />
        <Choose of={filters} name="purpose" label="Purpose" every="Every purpose" data={["development", "testing", "release"]} w={130} />
        <Choose of={filters} name="placed" label="On a channel" every="Placed or not" data={PLACED} w={130} />
        <TextInput
          aria-label="Branch"
          placeholder="Branch"
          size="xs"
          w={110}
          defaultValue={filters.get("branch") ?? ""}
          onBlur={(e) => filters.set("branch", e.currentTarget.value)}
          onKeyDown={(e) => e.key === "Enter" && filters.set("branch", e.currentTarget.value)}
        />
        <Select
          aria-label="Order"
          size="xs"
          allowDeselect={false}
          data={[
            { value: "number", label: "Newest first" },
            { value: "size", label: "Largest first" },
          ]}
          value={filters.get("sort") ?? "number"}
          onChange={(v) => filters.set("sort", v === "number" ? null : v)}
        />
        <Search of={filters} label="Search notes, versions, commits" w={220} />
      </Group>
      <Panel title="Builds" flush>
        <Answer of={builds} rows={8}>
          {(page) => (
            <>
              <BuildTable builds={page.items} title={title} />
              <Pager next={page.next} cursor={filters.get("cursor")} go={(cursor) => filters.set("cursor", cursor)} />
            </>
          )}
        </Answer>
      </Panel>
    </>
  );
}
