import { Button, Progress } from "@mantine/core";
import { Link } from "react-router";

import { bytes, duration, plural } from "../../ui/format";
import { Answer, Fact, Failure, Panel, When } from "../../ui/parts";
import { CostsPicture } from "./CostsPicture";
import { type Cost, change, type Release, type Replay, UNDER_WAY, useReplay, useReplayAct } from "./queries";
import "./replays.css";

/** One replay: how far it is, and what it found. */
export function ReplayPanel({ title, number }: { title: string; number: number }) {
  const found = useReplay(title, number);
  const act = useReplayAct(title);
  const state = found.data?.state ?? "";
  const again = ["stopped", "failed"].includes(state);
  const aside =
    UNDER_WAY.includes(state) || again ? (
      <Button
        size="compact-xs"
        variant="default"
        loading={act.isPending}
        onClick={() => act.mutate({ path: `/${number}/${again ? "go-on" : "stop"}` })}
      >
        {again ? "Go on" : "Stop"}
      </Button>
    ) : undefined;
  return (
    <Panel title={`Replay ${number}`} aside={aside}>
      {act.error && <Failure error={act.error} />}
      <Answer of={found} rows={8}>
        {(replay) => <Shown replay={replay} title={title} />}
      </Answer>
    </Panel>
  );
}

function Shown({ replay, title }: { replay: Replay; title: string }) {
  const done = replay.releases;
  const left = Math.max(0, ...done.map((r) => r.ruled.undelivered));
  return (
    <>
      <dl className="facts">
        <Fact term="Releases">
          #{replay.builds[0]} to #{replay.builds.at(-1)} of {replay.profile}
          {replay.channel && `, on ${replay.channel}`}
        </Fact>
        <Fact term="A device takes">{replay.chosen || "everything"}</Fact>
        <Fact term="State">
          <State replay={replay} />
        </Fact>
        {replay.note && <Fact term="Why">{replay.note}</Fact>}
        {left > 0 && <Fact term="Not counted">{plural(left, "file")} that no depot takes under these rules</Fact>}
      </dl>
      {replay.state === "running" && (
        <Progress
          value={(100 * replay.done) / Math.max(1, replay.total)}
          mt={10}
          aria-label={`${bytes(replay.done)} of ${bytes(replay.total)} replayed`}
        />
      )}
      {done.length > 0 && (
        <>
          <div className="replay-pictures">
            <CostsPicture releases={done} what="Fresh install" of={(c) => c.fresh} />
            <CostsPicture releases={done} what="Update from the release before" of={(c) => c.update} />
          </div>
          <p className="dim replay-legend">
            <span className="own" aria-hidden /> under its own rules <span className="ruled" aria-hidden /> under these rules. All that
            travels, with manifests and locations, worked out as a device plans it.
            {replay.players && " Of packs for players a sample of each release is compressed; the rest follows from it."}
          </p>
          <div className="replay-scroll">
            <Releases releases={done} title={title} />
          </div>
        </>
      )}
      <details className="replay-rules">
        <summary>The rules</summary>
        <pre className="mono">{replay.rules}</pre>
      </details>
    </>
  );
}

function State({ replay }: { replay: Replay }) {
  if (replay.state === "waiting") return <>asked for by {replay.asked_by}; the worker comes to it</>;
  if (replay.state === "running")
    return (
      <>
        {bytes(replay.done)} of {bytes(replay.total)}
        {replay.rate > 0 && `, ${bytes(replay.rate)}/s`}
        {replay.left != null && `, about ${duration(replay.left)} left`}
      </>
    );
  if (replay.state === "ready" && replay.started_at && replay.ended_at)
    return (
      <>
        done in {duration((Date.parse(replay.ended_at) - Date.parse(replay.started_at)) / 1000)}, <When at={replay.ended_at} />
      </>
    );
  return <>{replay.state}</>;
}

function Releases({ releases, title }: { releases: Release[]; title: string }) {
  const sum = (side: "own" | "ruled", of: (c: Cost) => number | null) => releases.reduce((all, r) => all + (of(r[side]) ?? 0), 0);
  const pair = (of: (c: Cost) => number | null) => [sum("own", of), sum("ruled", of)] as const;
  const [fresh, update, packed] = [pair((c) => c.fresh), pair((c) => c.update), pair((c) => c.packed)];
  return (
    <table className="rows replay-table">
      <thead>
        <tr>
          <th rowSpan={2}>Release</th>
          <th className="number wide" rowSpan={2}>
            Size
          </th>
          <th colSpan={3}>Fresh install</th>
          <th colSpan={3}>Update</th>
          <th className="wide" colSpan={2}>
            Added to the store
          </th>
        </tr>
        <tr>
          <th className="number">own rules</th>
          <th className="number">these</th>
          <th className="number">change</th>
          <th className="number">own rules</th>
          <th className="number">these</th>
          <th className="number">change</th>
          <th className="number wide">own rules</th>
          <th className="number wide">these</th>
        </tr>
      </thead>
      <tbody>
        {releases.map((r) => (
          <tr key={r.build}>
            <td>
              <Link to={`/titles/${title}/builds/${r.build}`}>#{r.build}</Link> <span className="dim">{r.version_name}</span>
            </td>
            <td className="number wide">{bytes(r.size)}</td>
            <td
              className="number"
              title={
                r.now_fresh == null
                  ? undefined
                  : `${bytes(r.now_fresh)} as the store lies today; ${plural(r.own.fresh_requests, "request")}`
              }
            >
              {bytes(r.own.fresh)}
            </td>
            <td className="number" title={plural(r.ruled.fresh_requests, "request")}>
              {bytes(r.ruled.fresh)}
            </td>
            <Change before={r.own.fresh} after={r.ruled.fresh} />
            <td className="number" title={r.now_update == null ? undefined : `${bytes(r.now_update)} as the store lies today`}>
              {r.own.update == null ? "" : bytes(r.own.update)}
            </td>
            <td className="number">{r.ruled.update == null ? "" : bytes(r.ruled.update)}</td>
            <Change before={r.own.update} after={r.ruled.update} />
            <td className="number wide">{bytes(r.own.packed)}</td>
            <td className="number wide">{bytes(r.ruled.packed)}</td>
          </tr>
        ))}
      </tbody>
      <tfoot>
        <tr>
          <th scope="row">In all</th>
          <td className="wide" />
          <td className="number">{bytes(fresh[0])}</td>
          <td className="number">{bytes(fresh[1])}</td>
          <Change before={fresh[0]} after={fresh[1]} />
          <td className="number">{bytes(update[0])}</td>
          <td className="number">{bytes(update[1])}</td>
          <Change before={update[0]} after={update[1]} />
          <td className="number wide">{bytes(packed[0])}</td>
          <td className="number wide">{bytes(packed[1])}</td>
        </tr>
      </tfoot>
    </table>
  );
}

function Change({ before, after }: { before: number | null; after: number | null }) {
  if (!before || after == null) return <td />;
  const said = change(before, after);
  return <td className={`number ${said === "same" ? "dim" : after < before ? "came" : "went"}`}>{said}</td>;
}
