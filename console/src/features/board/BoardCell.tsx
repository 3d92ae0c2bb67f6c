import { Link } from "react-router";

import { When } from "../../ui/parts";
import "./board.css";
import type { BoardBuild } from "./queries";

const SHAPES = { placed: "○", growing: "◐", held: "◫", whole: "◉", superseded: "", withdrawn: "" } as const;

interface Props {
  title: string;
  channel: string;
  builds: BoardBuild[];
  /** When the reader looked last; empty: nothing is new to them. */
  since: string;
}

/** The builds of a line on a channel: what grows first, then what the other devices have. */
export function BoardCell({ title, channel, builds, since }: Props) {
  const isNew = (build: BoardBuild) => Boolean(since) && Date.parse(build.changed_at) > Date.parse(since);
  return builds.map((build) => (
    <div key={build.placement} className={isNew(build) ? "board-build new" : "board-build"}>
      <span aria-hidden className={`board-shape ${build.state}`}>
        {SHAPES[build.state]}
      </span>{" "}
      <Link to={`/titles/${title}/channels/${channel}/rollouts/${build.placement}`}>#{build.build}</Link> {build.version_name}
      <div className="dim">
        {extent(build, builds.length > 1)}, <When at={build.since} />
        {isNew(build) && <span className="hidden-words"> (new since you looked)</span>}
      </div>
      {build.state === "held" && build.why && <div className="board-stops">{build.why}</div>}
      {build.state !== "held" && build.verdict === "worse" && <div className="board-stops">worse: {build.health_said}</div>}
      {build.next_at && build.next_share !== null && (
        <div className="dim">
          {build.next_share} % <When at={build.next_at} />
          {build.waits && `, waits: ${build.waits}`}
        </div>
      )}
    </div>
  ));
}

function extent(build: BoardBuild, beside: boolean): string {
  if (build.state === "whole") return beside ? "every other device" : "every device";
  if (build.state === "placed") return "nobody yet";
  return build.state === "held" ? `held at ${build.share} %` : `${build.share} %`;
}
