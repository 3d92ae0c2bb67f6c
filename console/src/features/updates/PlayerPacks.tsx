import { Button, Progress } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";
import { bytes, duration, plural } from "../../ui/format";
import { Answer, Fact, Failure, Panel } from "../../ui/parts";

type Layout = Schemas["LayoutOut"];
type Choice = Schemas["LayoutChoice"];

const UNDER_WAY = ["waiting", "making"];

/** How is this build laid out for those who install it anew, and what does that save them? */
export function PlayerPacks({ title, number }: { title: string; number: number }) {
  const at = `/titles/${title}/builds/${number}/player-packs`;
  const key = ["player-packs", title, number];
  const queries = useQueryClient();
  const found = useQuery({
    queryKey: key,
    queryFn: () => call<Layout>(at),
    refetchInterval: (q) => (UNDER_WAY.includes(q.state.data?.state ?? "") ? 1500 : false),
  });
  const keep = (layout: Layout) => queries.setQueryData(key, layout);
  const make = useMutation({ mutationFn: () => call<Layout>(at, { method: "POST" }), onSuccess: keep });
  const stop = useMutation({ mutationFn: () => call<Layout>(`${at}/stop`, { method: "POST" }), onSuccess: keep });
  const state = found.data?.state;
  const acts =
    state === undefined ? null : UNDER_WAY.includes(state) ? (
      <Button size="compact-xs" variant="default" loading={stop.isPending} onClick={() => stop.mutate()}>
        Stop
      </Button>
    ) : (
      <Button
        size="compact-xs"
        variant="default"
        loading={make.isPending}
        title={state === "ready" ? "They are measured and made again; until then devices take small frames" : undefined}
        onClick={() => make.mutate()}
      >
        {{ ready: "Make again", stopped: "Go on" }[state] ?? "Make packs"}
      </Button>
    );
  return (
    <Panel title="Packs for players" aside={acts}>
      {(make.error ?? stop.error) && <Failure error={make.error ?? stop.error} />}
      <Answer of={found} rows={3}>
        {(layout) => <Shown layout={layout} />}
      </Answer>
    </Panel>
  );
}

function Shown({ layout }: { layout: Layout }) {
  return (
    <>
      <dl className="facts" style={{ margin: 0 }}>
        <Fact term="Fresh install">
          <b>{bytes(layout.fresh)}</b>
          {layout.plain > layout.fresh && (
            <span className="dim">
              {" "}
              · {bytes(layout.plain)} without, {Math.round(100 * (1 - layout.fresh / layout.plain))} % less
            </span>
          )}
        </Fact>
        <Fact term="State">
          <State layout={layout} />
        </Fact>
        {layout.note && <Fact term={layout.state === "skipped" ? "Why" : "Trouble"}>{layout.note}</Fact>}
      </dl>
      {layout.state === "making" && (
        <Progress
          value={(100 * layout.done) / Math.max(1, layout.content)}
          mt={10}
          aria-label={`${bytes(layout.done)} of ${bytes(layout.content)} packed`}
        />
      )}
      {layout.choice && <Ways choice={layout.choice} />}
    </>
  );
}

function State({ layout }: { layout: Layout }) {
  switch (layout.state) {
    case "waiting":
      return <>asked for by {layout.asked_by}; ways of packing are tried first</>;
    case "making":
      return (
        <>
          {bytes(layout.done)} of {bytes(layout.content)} packed
          {layout.rate > 0 && `, ${bytes(layout.rate)}/s`}
          {layout.left != null && `, ${duration(layout.left)} left`}; a fresh install is then about {bytes(layout.expected)}
        </>
      );
    case "ready":
      return (
        <>
          {plural(layout.packs, "pack")}, {bytes(layout.size)} of {bytes(layout.content)} of content
        </>
      );
    case "skipped":
      return <>none: they would save too little</>;
    case "stopped":
      return <>stopped{layout.done > 0 && ` with ${bytes(layout.done)} of ${bytes(layout.content)} packed`}</>;
    default:
      return <>none; they are made when a build is placed for many devices, or for everybody</>;
  }
}

/** Beside the machine that tried. */
const speed = (times: number) => (times === 1 ? "" : ` (unpacking ${times} times as fast as the service)`);

function Ways({ choice }: { choice: Choice }) {
  const classes = choice.audience.split(",").map((c) => c.split(":").map(Number));
  const whole = classes.reduce((sum, c) => sum + (c[1] ?? 0), 0);
  const said = classes.map((c) => `${Math.round((100 * (c[1] ?? 0)) / whole)} % at ${c[0]} Mbit/s${speed(c[2] ?? 1)}`).join(", ");
  const ways = [...choice.ways].sort((a, b) => a.waits - b.waits);
  return (
    <details style={{ marginTop: 12 }}>
      <summary>How they were chosen</summary>
      <p className="dim" style={{ margin: "6px 0" }}>
        Tried on a sample in {duration(choice.seconds)}, for players of whom {said}
        {choice.devices ? `, as ${plural(choice.devices, "device")} said` : ""}. The way is taken that brings them to the title soonest.
      </p>
      <table className="rows">
        <thead>
          <tr>
            <th>Way</th>
            <th className="number">Frames of</th>
            <th className="number">Download</th>
            <th className="number">They wait</th>
            <th className="number">Unpacking</th>
            <th className="number">Making</th>
          </tr>
        </thead>
        <tbody>
          {ways.map((w) => (
            <tr key={`${w.codec} ${w.level} ${w.frame}`} className={w.chosen ? "picked" : w.allowed ? "" : "dim"}>
              <td>
                {w.codec} {w.level}
                {w.chosen && <b> · chosen</b>}
                {!w.allowed && " · not allowed"}
              </td>
              <td className="number">{w.frame} MiB</td>
              <td className="number">{bytes(w.size)}</td>
              <td className="number">{duration(w.waits)}</td>
              <td className="number">{duration(w.unpacking)}</td>
              <td className="number">{duration(w.packing)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {choice.filters.map((f) => (
        <div key={f.name} className="dim">
          {f.name}: {((1 - f.share) * 100).toFixed(1)} % saved{!f.used && ", not used"}
        </div>
      ))}
    </details>
  );
}
