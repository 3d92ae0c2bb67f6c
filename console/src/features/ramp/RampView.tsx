import "./ramp.css";

import { type CSSProperties, type KeyboardEvent, useRef } from "react";
import { Link } from "react-router";
import { Marker } from "./Marker";
import { Next } from "./Next";
import type { Ramp, RampBuild, RampRow, Station } from "./queries";

/** The ramp: rows are profiles, a build stands at the height that it has reached. Arrow keys walk the markers. */
export function RampView({ ramp, title }: { ramp: Ramp; title: string }) {
  const grid = useRef<HTMLDivElement>(null);
  return (
    <section
      className="panel ramp"
      aria-label="The ramp"
      ref={grid}
      style={{ "--stations": ramp.stations.length } as CSSProperties}
      onKeyDown={(event) => walk(event, grid.current)}
    >
      <div className="ramp-row ramp-head" aria-hidden>
        <div />
        {ramp.stations.map((station) => (
          <div key={station.name}>
            {station.name}
            {station.channel && <span className="dim"> channel</span>}
          </div>
        ))}
      </div>
      {ramp.rows.map((row) => (
        <Row key={row.profile} row={row} stations={ramp.stations} title={title} />
      ))}
    </section>
  );
}

function Row({ row, stations, title }: { row: RampRow; stations: Station[]; title: string }) {
  const lead = row.builds[0];
  if (!lead) return <EmptyRow row={row} title={title} />;
  return (
    <div className="ramp-row" data-row>
      <div className="ramp-name">
        <b>{row.line}</b>
        <span className="dim">{row.profile}</span>
        <Stopped row={row} title={title} />
      </div>
      {stations.map((station, at) => {
        const here = row.builds.filter((b) => b.height === at || b.live_on.includes(station.name));
        const live = here.some((b) => b.live_on.includes(station.name));
        const room = !row.builds.some((b) => b.height === at + 1 || b.live_on.includes(stations[at + 1]?.name ?? ""));
        return (
          <div key={station.name} className={`ramp-cell${here.length ? "" : " bare"}`}>
            <span className="ramp-station">{station.name}</span>
            <div className="ramp-stand">
              {lead && at === nextStation(lead, stations) && (
                <Next build={lead} station={station} title={title} room={room && at + 1 < stations.length} />
              )}
              {here.slice(0, 3).map((b) => (
                <Marker key={b.number} build={b} station={station} title={title} leads={b === lead} top={b.height === at} />
              ))}
              {here.length > 3 && <span className="dim ramp-more">and {here.length - 3} older</span>}
            </div>
            <div className={`ramp-tread${live ? " live" : ""}`} style={{ height: 5 + at * 7 }} />
          </div>
        );
      })}
    </div>
  );
}

/** A profile without builds takes little room: what it is, and what keeps its first build from starting. */
function EmptyRow({ row, title }: { row: RampRow; title: string }) {
  return (
    <div className="ramp-row empty" data-row>
      <div className="ramp-name">
        <b>{row.line}</b>
        <span className="dim">{row.profile}</span>
      </div>
      <div className="ramp-none">
        {row.stops.length ? <Stopped row={row} title={title} /> : <span className="dim">no build yet</span>}
        {row.stops[0] && <span className="dim"> {row.stops[0]}.</span>}
      </div>
    </div>
  );
}

function Stopped({ row, title }: { row: RampRow; title: string }) {
  if (!row.stops.length) return null;
  return (
    <Link className="severity blocker" to={`/titles/${title}/check?profile=${row.profile}`} title={row.stops.join("\n")}>
      <span aria-hidden>■</span> {row.stops.length === 1 ? "no build can start" : `no build can start: ${row.stops.length} findings`}
    </Link>
  );
}

/** Where what comes next, or what stops it, is written. */
function nextStation(build: RampBuild, stations: Station[]): number {
  if (!build.stop && !build.next) return -1;
  if (build.stop?.code === "bundle.unsigned") return stations.findIndex((s) => s.name === "signed");
  if (build.stop?.code === "submission.waits") return stations.findIndex((s) => s.name === "review");
  const above = stations.findIndex((s, at) => at > build.height && s.channel);
  return above < 0 ? stations.length - 1 : above;
}

function walk(event: KeyboardEvent, grid: HTMLDivElement | null): void {
  const steps: Record<string, [number, number]> = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] };
  const step = steps[event.key];
  const from = document.activeElement?.closest<HTMLElement>("[data-marker]");
  if (!step || !from || !grid) return;
  event.preventDefault();
  const rows = [...grid.querySelectorAll("[data-row]")].map((r) => [...r.querySelectorAll<HTMLElement>("[data-marker]")]);
  const y = rows.findIndex((r) => r.includes(from));
  const x = rows[y]?.indexOf(from) ?? 0;
  let goal: HTMLElement | undefined;
  if (step[0] === 0) goal = rows[y]?.[x + step[1]];
  for (let at = y + step[0]; step[0] !== 0 && !goal && rows[at]; at += step[0]) {
    goal = rows[at]?.[Math.min(x, rows[at]!.length - 1)];
  }
  goal?.focus();
}
