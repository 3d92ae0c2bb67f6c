import { Tooltip } from "@mantine/core";
import { Link } from "react-router";

import { ago, bytes } from "../../ui/format";
import type { RampBuild, RampPlace, Station } from "./queries";
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

const SHAPES: Record<string, string> = { placed: "○", growing: "◐", held: "◫", whole: "◉" };

function extent({ state, share, rest }: RampPlace): string {
  if (state === "whole") return rest ? "the others" : "live";
  if (state === "placed") return "nobody yet";
  return state === "held" ? `held, ${share} %` : `${share} %`;
}

/** A build on the ramp. Live is said in words, with the share of devices that have it. */
export function Marker({ build, station, title, leads, top }: Props) {
  const place = build.places.find((p) => p.channel === station.name);
  const live = place !== undefined;
  const following = build.devices[station.name] ?? 0;
  const share = build.shares[station.name];
  const kind = ["marker", live && "live", place?.state === "held" && "held", leads && top && "leads", build.state === "open" && "open"]
    .filter(Boolean)
    .join(" ");
  const having = following > 0 && share !== undefined ? `${share}%\u00a0of\u00a0${following}` : "";
  const whole = place?.state === "whole" && !place.rest;
  const about = `${having && !whole ? `${having} devices have it; ` : ""}${build.version_name}, code ${build.version_code}, ${bytes(build.size)}, by ${build.created_by} ${ago(build.created_at)}`;
  return (
    <Tooltip label={about}>
      <Link to={`/titles/${title}/builds/${build.number}`} className={kind} data-marker>
        <span className="marker-name">
          <b>#{build.number}</b> {build.version_name}
        </span>
        {place && (
          <span className="marker-live">
            <span aria-hidden>{SHAPES[place.state]}</span> {extent(place)}
            {having && whole ? ` · ${having}` : ""}
          </span>
        )}
        {build.state === "open" && <span className="marker-live">uploading</span>}
      </Link>
    </Tooltip>
  );
}
