import "./matrix.css";

import { Button, SegmentedControl } from "@mantine/core";
import { useParams } from "react-router";

import { Choose, useFilters } from "../../ui/filters";
import { plural } from "../../ui/format";
import { Answer, Empty, PageHead, Panel } from "../../ui/parts";
import { useDraftFix } from "../document/queries";
import { useTitle } from "../titles/queries";
import { OfRevision, ProfileFindings } from "./parts";
import { type Finding, useCheck } from "./queries";

/** What is wrong with the profiles, before a build finds out? */
export function CheckPage() {
  const { title = "" } = useParams();
  const filters = useFilters(true);
  const { data: found } = useTitle(title);
  const check = useCheck(title, filters.get("revision"));
  const fix = useDraftFix(title);
  const [severity, profile] = [filters.get("severity") ?? "", filters.get("profile") ?? ""];
  return (
    <Answer of={check} rows={10}>
      {(data) => {
        const count = (s: string) => data.findings.filter((f) => f.severity === s).length;
        const shown = data.findings.filter((f) => (!severity || f.severity === severity) && (!profile || f.profile === profile));
        const newest = data.revision === found?.revision;
        return (
          <>
            <PageHead title={`Findings in the profiles of ${found?.name ?? title}`}>
              {plural(count("blocker"), "blocker")}, {plural(count("warning"), "warning")}, {plural(count("note"), "note")} in{" "}
              {plural(data.profiles, "profile")}; <OfRevision revision={data.revision} newest={found?.revision} />
            </PageHead>
            <div className="filters">
              <SegmentedControl
                size="xs"
                aria-label="Severity"
                value={severity}
                onChange={(v) => filters.set("severity", v)}
                data={[
                  { value: "", label: "All" },
                  { value: "blocker", label: "Blockers" },
                  { value: "warning", label: "Warnings" },
                  { value: "note", label: "Notes" },
                ]}
              />
              <Choose
                of={filters}
                name="profile"
                label="Profile"
                every="Every profile"
                data={[...new Set(data.findings.map((f) => f.profile).filter(Boolean))]}
              />
            </div>
            <Panel
              title="Findings"
              aside={
                newest ? <FixAll findings={shown} fix={fix.mutate} busy={fix.isPending} /> : "Fixes are made in the newest revision only."
              }
            >
              {shown.length ? (
                <ProfileFindings
                  findings={shown}
                  title={title}
                  revision={data.revision}
                  fix={newest ? fix.mutate : undefined}
                  fixing={fix.isPending}
                />
              ) : (
                <Empty command="bin/rampa profile check">
                  {data.findings.length ? "Nothing fits these filters." : "The checks found nothing."}
                </Empty>
              )}
            </Panel>
          </>
        );
      }}
    </Answer>
  );
}

function FixAll({ findings, fix, busy }: { findings: Finding[]; fix: (findings: Finding[]) => void; busy: boolean }) {
  const able = findings.filter((f) => f.fix.length > 0);
  if (!able.length) return null;
  return (
    <Button size="compact-xs" variant="default" loading={busy} onClick={() => fix(able)}>
      Fix all {able.length} in my draft
    </Button>
  );
}
