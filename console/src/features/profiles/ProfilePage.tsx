import "./matrix.css";

import { SegmentedControl } from "@mantine/core";
import { Fragment } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { capital } from "../../ui/format";
import { Answer, PageHead, Panel } from "../../ui/parts";
import { altered } from "../../ui/search";
import { useDraftFix } from "../document/queries";
import { useTitle } from "../titles/queries";
import { From, OfRevision, ProfileFindings, Said } from "./parts";
import { useResolved, useSettings } from "./queries";

/** What does this profile resolve to, and where was each value said? */
export function ProfilePage() {
  const { title = "", profile = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const { data: found } = useTitle(title);
  const resolved = useResolved(title, profile, search.get("revision"));
  const settings = useSettings();
  const everything = search.get("all") === "yes";
  const fix = useDraftFix(title);
  const groups = Object.fromEntries((settings.data?.groups ?? []).map((g) => [g.name, g.label]));
  return (
    <Answer of={resolved} rows={18}>
      {(data) => {
        let group = "";
        const shown = data.settings.filter((s) => everything || s.value?.origin.line);
        return (
          <>
            <PageHead
              title={profile}
              aside={
                <>
                  <Link to={`/titles/${title}/compare?left=${profile}`}>Compare</Link>
                  <Link to={`/titles/${title}/document/edit?layer=profile ${profile}`}>Edit</Link>
                </>
              }
            >
              {data.platform_title}, {data.purpose}
              {data.storefront && `, for ${capital(data.storefront)}`}
              {data.facets.length > 0 && <>; from {data.facets.map((u) => `facet ${u}`).join(", then ")}</>};{" "}
              <OfRevision revision={data.revision} newest={found?.revision} />
            </PageHead>
            {data.findings.length > 0 && (
              <div style={{ marginBottom: 16 }}>
                <Panel title="Findings">
                  <ProfileFindings
                    findings={data.findings}
                    title={title}
                    revision={data.revision}
                    fix={data.revision === found?.revision ? fix.mutate : undefined}
                    fixing={fix.isPending}
                  />
                </Panel>
              </div>
            )}
            <Panel
              title="Settings"
              aside={
                <SegmentedControl
                  size="xs"
                  aria-label="Which settings"
                  value={everything ? "yes" : "no"}
                  onChange={(v) => setSearch((now) => altered(now, { all: v }), { replace: true })}
                  data={[
                    { value: "no", label: "Set" },
                    { value: "yes", label: "With defaults" },
                  ]}
                />
              }
              flush
            >
              <table className="rows differences resolved">
                <thead>
                  <tr>
                    <th>Setting</th>
                    <th>Value</th>
                    <th>Origin</th>
                  </tr>
                </thead>
                <tbody>
                  {shown.map((s) => {
                    const head = s.group !== group;
                    group = s.group;
                    return (
                      <Fragment key={s.key}>
                        {head && (
                          <tr className="group">
                            <th colSpan={3} scope="rowgroup">
                              {groups[s.group]}
                            </th>
                          </tr>
                        )}
                        <tr>
                          <td title={s.key}>{s.label}</td>
                          <td>
                            <Said value={s.value} />
                          </td>
                          <td>{s.value && <From origin={s.value.origin} title={title} revision={data.revision} />}</td>
                        </tr>
                      </Fragment>
                    );
                  })}
                </tbody>
              </table>
            </Panel>
          </>
        );
      }}
    </Answer>
  );
}
