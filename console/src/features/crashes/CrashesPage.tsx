import { Select, Switch } from "@mantine/core";
import { useParams } from "react-router";

import { Search, useFilters } from "../../ui/filters";
import { plural } from "../../ui/format";
import { Pager } from "../../ui/Pager";
import { Answer, Empty, PageHead, Panel } from "../../ui/parts";
import { useBuilds } from "../builds/queries";
import { useTitle } from "../titles/queries";
import { CrashRows } from "./CrashRows";
import { useCrashes } from "./queries";

const SORTS = [
  { value: "crashes", label: "Most crashes" },
  { value: "devices", label: "Most devices" },
  { value: "newest", label: "Newest" },
];

/** Where does it crash, and what is new? */
export function CrashesPage() {
  const { title = "" } = useParams();
  const filters = useFilters();
  const { data: found } = useTitle(title);
  const crashes = useCrashes(title, { ...filters.asked, limit: "25" });
  const builds = useBuilds(title, { state: "ready", limit: 100 });
  const build = filters.get("build");
  return (
    <>
      <PageHead title={`Crashes of ${found?.name ?? title}`}>
        Of the last 30 days, by the place where they happen. Devices report them with no word about their person.
      </PageHead>
      <div className="filters">
        <Search of={filters} label="Search functions and files" w={230} />
        <Select
          aria-label="Build"
          placeholder="Every build"
          size="xs"
          clearable
          searchable
          clearButtonProps={{ "aria-label": "Every build" }}
          w={210}
          data={(builds.data?.items ?? []).map((b) => ({ value: String(b.number), label: `#${b.number} ${b.version_name}, ${b.profile}` }))}
          value={build}
          onChange={(v) => filters.set("build", v)}
        />
        <Select
          aria-label="Order"
          size="xs"
          w={140}
          data={SORTS}
          allowDeselect={false}
          value={filters.get("sort") ?? "crashes"}
          onChange={(v) => filters.set("sort", v)}
        />
        <Switch
          label="New in this build only"
          size="sm"
          disabled={!build}
          checked={filters.get("new") === "true"}
          onChange={(e) => filters.set("new", e.currentTarget.checked ? "true" : null)}
        />
      </div>
      <Panel title="Places" aside={crashes.data?.waiting ? `${plural(crashes.data.waiting, "stack")} being looked up` : undefined} flush>
        <Answer of={crashes} rows={8}>
          {(page) =>
            page.items.length ? (
              <>
                <CrashRows title={title} crashes={page.items} />
                <Pager next={page.next} cursor={filters.get("cursor")} go={(cursor) => filters.set("cursor", cursor)} />
              </>
            ) : Object.keys(filters.asked).length ? (
              <Empty>No crash is like that.</Empty>
            ) : (
              <Empty command={`bin/rampa health crashes --title ${title}`}>
                No device reported a crash in the last 30 days. A build's symbols, kept when it is made, give each its function and line.
              </Empty>
            )
          }
        </Answer>
      </Panel>
    </>
  );
}
