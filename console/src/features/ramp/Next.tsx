import { Tooltip } from "@mantine/core";
import { Link } from "react-router";

import { SeverityMark, Spoken } from "../../ui/parts";
import type { RampBuild, Station } from "./queries";
import "./ramp.css";

interface Props {
  build: RampBuild;
  station: Station;
  title: string;
  /** The next station is empty: the words may reach into it. */
  room: boolean;
}

/** What stops the leading build, written where it stops, or the act that takes it further. */
export function Next({ build, station, title, room }: Props) {
  if (build.stop) {
    return (
      <Tooltip label={build.stop.hint} multiline maw={320}>
        <div className={room ? "ramp-stop room" : "ramp-stop"} tabIndex={0}>
          <SeverityMark severity={build.stop.severity} />
          <div>{build.stop.message}</div>
          {room && (
            <div className="dim">
              <Spoken text={build.stop.hint} />
            </div>
          )}
        </div>
      </Tooltip>
    );
  }
  if (build.next?.possible && build.next.name === "submit") {
    return (
      <Link className="ramp-act" to={`/titles/${title}/submissions/submit?build=${build.number}`}>
        Submit #{build.number}
      </Link>
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
