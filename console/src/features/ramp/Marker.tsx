import { Tooltip } from "@mantine/core";
import { Link } from "react-router";

import { ago, bytes } from "../../ui/format";
import type { RampBuild, Station } from "./queries";
import "./ramp.css";

interface Props {
  build: RampBuild;
  station: Station;
  title: string;
  /** The newest of its row. */
  leads: boolean;
  /** It stands at its greatest height here; elsewhere it is only live. */
  top: boolean;
}

/** A build on the ramp. Live is said in words, with the share of devices that have it. */
export function Marker({ build, station, title, leads, top }: Props) {
  const live = build.live_on.includes(station.name);
  const following = build.devices[station.name] ?? 0;
  const share = build.shares[station.name];
  const kind = ["marker", live && "live", leads && top && "leads", build.state === "open" && "open"].filter(Boolean).join(" ");
  const about = `${build.version_name}, code ${build.version_code}, ${bytes(build.size)}, by ${build.created_by} ${ago(build.created_at)}`;
  return (
    <Tooltip label={about}>
      <Link to={`/titles/${title}/builds/${build.number}`} className={kind} data-marker>
        <span className="marker-name">
          <b>#{build.number}</b> {build.version_name}
        </span>
        {live && (
          <span className="marker-live">
            <span aria-hidden>◉</span> live{following > 0 && share !== undefined ? ` · ${share}%\u00a0of\u00a0${following}` : ""}
          </span>
        )}
        {build.state === "open" && <span className="marker-live">uploading</span>}
      </Link>
    </Tooltip>
  );
}
