import { Tooltip } from "@mantine/core";
import { Link } from "react-router";

import { SeverityMark } from "../../ui/parts";
import type { RampBuild, Station } from "./queries";

/** What stops the leading build, written where it stops, or the act that takes it further. */
export function Next({ build, station, title }: { build: RampBuild; station: Station; title: string }) {
  if (build.stop) {
    return (
      <Tooltip label={build.stop.hint} multiline maw={320}>
        <div className="ramp-stop" tabIndex={0}>
          <SeverityMark severity={build.stop.severity} />
          <div>{build.stop.message}</div>
        </div>
      </Tooltip>
    );
  }
  if (build.next?.possible) {
    return (
      <Link className="ramp-act" to={`/titles/${title}/channels/${station.name}/place/${build.number}`}>
        Place #{build.number} here
      </Link>
    );
  }
  return <div className="dim ramp-more">{build.next?.reason}</div>;
}
