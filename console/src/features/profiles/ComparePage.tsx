import "./matrix.css";

import { Select } from "@mantine/core";
import { useParams, useSearchParams } from "react-router";
import { plural } from "../../ui/format";
import { Answer, Empty, PageHead, Panel } from "../../ui/parts";
import { altered } from "../../ui/search";
import { useBuilds } from "../builds/queries";
import { useRevisions, useTitle } from "../titles/queries";
import { Differences } from "./parts";
import { useComparison } from "./queries";

/** What differs between two profiles, two revisions of one, or a profile and the one that made a build? */
export function ComparePage() {
  const { title = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const { data: found } = useTitle(title);
  const [left, right] = [search.get("left") ?? "", search.get("right") ?? ""];
  const comparison = useComparison(title, left, right);
  const set = (key: string, value: string | null) => setSearch((now) => altered(now, { [key]: value }));
  return (
    <>
      <PageHead title="Compare">Profiles, revisions of one, or a profile with the one that made a build. Only what differs.</PageHead>
      <div className="filters">
        <Side label="Left side" title={title} value={left} set={(v) => set("left", v)} />
        <Side label="Right side" title={title} value={right} set={(v) => set("right", v)} />
      </div>
      <Panel title="Differences" aside={comparison.data && plural(comparison.data.differences.length, "setting")} flush>
        {left && right ? (
          <Answer of={comparison} rows={8}>
            {(data) =>
              data.differences.length ? (
                <Differences
                  differences={data.differences}
                  groups={Object.fromEntries(data.groups.map((g) => [g.name, g.label]))}
                  left={data.left.says}
                  right={data.right.says}
                />
              ) : (
                <Empty>{`${data.left.says} and ${data.right.says} say the same.`}</Empty>
              )
            }
          </Answer>
        ) : (
          <Empty command={`bin/rampa profile compare ${found?.profiles[0]?.name ?? "PROFILE"} ${found?.profiles[1]?.name ?? "PROFILE"}`}>
            Choose both sides.
          </Empty>
        )}
      </Panel>
    </>
  );
}

/** Everything that can stand on a side: profiles now, profiles of earlier revisions, builds. */
function Side({ label, title, value, set }: { label: string; title: string; value: string; set: (value: string | null) => void }) {
  const { data: found } = useTitle(title);
  const { data: revisions } = useRevisions(title);
  const builds = useBuilds(title, { limit: 50 });
  const names = (found?.profiles ?? []).map((p) => p.name);
  const earlier = (revisions?.items ?? []).filter((r) => r.number !== found?.revision).slice(0, 10);
  const data = [
    { group: "Profiles", items: names },
    {
      group: "Builds",
      items: (builds.data?.items ?? []).map((b) => ({
        value: `#${b.number}`,
        label: `build #${b.number}, ${b.profile} ${b.version_name}`,
      })),
    },
    ...earlier.map((r) => ({
      group: `Revision ${r.number}`,
      items: names.map((n) => ({ value: `${n}@${r.number}`, label: `${n}, revision ${r.number}` })),
    })),
  ].filter((g) => g.items.length);
  const known = data.some((g) => g.items.some((i) => (typeof i === "string" ? i : i.value) === value));
  const extra = value && !known ? [{ group: "Other", items: [value] }] : [];
  return (
    <Select
      size="xs"
      w={290}
      label={label}
      searchable
      clearable
      clearButtonProps={{ "aria-label": `Clear ${label}` }}
      placeholder="Profile, revision or build"
      value={value || null}
      onChange={set}
      data={[...data, ...extra]}
      maxDropdownHeight={360}
    />
  );
}
