import { useParams } from "react-router";

import { Answer, Empty, PageHead, Panel, When } from "../../ui/parts";
import { BuildTable } from "../builds/BuildTable";
import { useBuilds } from "../builds/queries";
import { Scheduled } from "../channels/Scheduled";
import { useTitle } from "../titles/queries";
import { useRamp } from "./queries";
import { RampView } from "./RampView";
import { Sizes } from "./Sizes";

/** What is live where, what comes next, what blocks it? */
export function RampPage() {
  const { title = "" } = useParams();
  const found = useTitle(title);
  const ramp = useRamp(title);
  const recent = useBuilds(title, { limit: 6 });
  const empty = ramp.data?.rows.every((row) => row.builds.length === 0);
  const first = found.data?.profiles[0]?.name ?? "PROFILE";
  return (
    <>
      <PageHead
        title={found.data?.name ?? title}
        aside={
          ramp.data && (
            <span className="dim">
              last true <When at={ramp.data.at} />
            </span>
          )
        }
      >
        {found.data && (
          <>
            <span className="mono">{found.data.identifier}</span> · version {found.data.version_name} · revision {found.data.revision}
          </>
        )}
      </PageHead>
      <Answer of={ramp} rows={8}>
        {(data) =>
          empty ? (
            <Panel title="The ramp">
              <Empty command={`bin/rampa build create --profile ${first} --from FOLDER --title ${title}`}>
                No build has set out yet. Make the first one from the folder that holds the title&apos;s files.
              </Empty>
            </Panel>
          ) : (
            <RampView ramp={data} title={title} />
          )
        }
      </Answer>
      <Scheduled title={title} />
      <div className="halves">
        <Panel title="Recent builds" flush>
          <Answer of={recent} rows={4}>
            {(page) => <BuildTable builds={page.items} title={title} short />}
          </Answer>
        </Panel>
        <Panel title="Sizes" aside="newest ready build of each profile">
          <Answer of={recent} rows={4}>
            {(page) => <Sizes builds={page.items} title={title} />}
          </Answer>
        </Panel>
      </div>
    </>
  );
}
