import { Button, Group, Select, TextInput } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";

import { Pager } from "../../ui/Pager";
import { Answer, PageHead, Panel } from "../../ui/parts";
import { altered } from "../../ui/search";
import { useTitle } from "../titles/queries";
import { BuildTable } from "./BuildTable";
import { useBuilds } from "./queries";

/** Which builds are there? Filters are in the address, so that a list can be shared. */
export function BuildsPage() {
  const { title = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const { data: found } = useTitle(title);
  const [typed, setTyped] = useState(search.get("search") ?? "");
  const [settled] = useDebouncedValue(typed, 250);
  const set = (name: string, value: string | null) =>
    setSearch((now) => altered(now, { cursor: null, [name]: value }), {
      replace: name === "search",
    });
  useEffect(() => {
    if (settled !== (search.get("search") ?? "")) set("search", settled);
  }, [settled]);
  const filter = Object.fromEntries(search.entries());
  const builds = useBuilds(title, { ...filter, limit: 25 });
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
          aria-label="State"
          placeholder="Every state"
          size="xs"
          clearable
          data={["open", "ready", "abandoned", "removed"]}
          value={search.get("state")}
          onChange={(v) => set("state", v)}
        />
        <Select
          aria-label="Purpose"
          placeholder="Every purpose"
          size="xs"
          clearable
          w={130}
          data={["development", "testing", "release"]}
          value={search.get("purpose")}
          onChange={(v) => set("purpose", v)}
        />
        <Select
          aria-label="On a channel"
          placeholder="Placed or not"
          size="xs"
          clearable
          w={130}
          data={[
            { value: "true", label: "On a channel" },
            { value: "false", label: "On none" },
          ]}
          value={search.get("placed")}
          onChange={(v) => set("placed", v)}
        />
        <TextInput
          aria-label="Branch"
          placeholder="Branch"
          size="xs"
          w={110}
          defaultValue={search.get("branch") ?? ""}
          onBlur={(e) => set("branch", e.currentTarget.value)}
          onKeyDown={(e) => e.key === "Enter" && set("branch", e.currentTarget.value)}
        />
        <Select
          aria-label="Order"
          size="xs"
          allowDeselect={false}
          data={[
            { value: "number", label: "Newest first" },
            { value: "size", label: "Largest first" },
          ]}
          value={search.get("sort") ?? "number"}
          onChange={(v) => set("sort", v === "number" ? null : v)}
        />
        <TextInput
          aria-label="Search in notes, versions and commits"
          placeholder="Search notes, versions, commits"
          size="xs"
          value={typed}
          onChange={(e) => setTyped(e.currentTarget.value)}
          w={220}
        />
      </Group>
      <Panel title="Builds" flush>
        <Answer of={builds} rows={8}>
          {(page) => (
            <>
              <BuildTable builds={page.items} title={title} />
              <Pager next={page.next} cursor={search.get("cursor")} go={(cursor) => set("cursor", cursor)} />
            </>
          )}
        </Answer>
      </Panel>
    </>
  );
}
