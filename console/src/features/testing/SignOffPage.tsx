import { Button, SegmentedControl, Textarea, TextInput } from "@mantine/core";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { Answer, Empty, Failure, When } from "../../ui/parts";
import { AddPicture } from "./AddPicture";
import { noteHere } from "./here";
import { Pictures } from "./Pictures";
import { type OwnSignOff, type Point, type Tick, tickOf, useDraft, useOwnSignOffs } from "./signOffs";
import "./testing.css";

const KEPT = {
  kept: "Kept.",
  sending: "Keeping it …",
  here: "Kept on this device; it is sent as soon as the service answers.",
  refused: "Kept on this device only.",
};

/** Did I see what I was asked to look at? */
export function SignOffPage() {
  const { title = "", channel = "", build = "", checklist = "" } = useParams();
  const mine = useOwnSignOffs(title, channel, build);
  return (
    <Answer of={mine} rows={8}>
      {({ items }) => {
        const found = items.find((i) => i.checklist.name === checklist);
        if (!found) return <Empty>There is no such checklist for this build any more.</Empty>;
        return (
          <>
            <h1>{found.checklist.title}</h1>
            <div className="dim">
              <Link to={`/install/${title}/${channel}/${build}`}>#{build}</Link> on {channel}
            </div>
            {found.state === "finished" ? (
              <Finished key="finished" title={title} channel={channel} build={build} mine={found} />
            ) : (
              <Ticking key="ticking" title={title} channel={channel} build={build} mine={found} />
            )}
          </>
        );
      }}
    </Answer>
  );
}

interface Of {
  title: string;
  channel: string;
  build: string;
  mine: OwnSignOff;
}

function Ticking({ title, channel, build, mine }: Of) {
  const { draft, change, state, error, finish } = useDraft(title, channel, build, mine);
  const { points } = mine.checklist;
  const left = points.filter((p) => tickOf(draft.ticks, p.name).verdict === null).length;
  const set = (tick: Tick) => change([...draft.ticks.filter((t) => t.point !== tick.point), tick], draft.device);
  return (
    <>
      {points.map((point) => (
        <PointCard key={point.name} point={point} tick={tickOf(draft.ticks, point.name)} set={set} at={{ title, channel, build }} />
      ))}
      <section className="card">
        <TextInput
          label="Played on"
          description="The device, as you would tell a colleague"
          maxLength={200}
          value={draft.device}
          onChange={(e) => change(draft.ticks, e.currentTarget.value)}
        />
        {error !== undefined && <Failure error={error} />}
        <p className="dim" aria-live="polite">
          {KEPT[state]}
        </p>
        <Button className="big" variant="filled" fullWidth disabled={left > 0} onClick={() => void finish()}>
          {left > 0 ? `${left} of ${points.length} left to look at` : "Sign off"}
        </Button>
      </section>
    </>
  );
}

interface CardProps {
  point: Point;
  tick: Tick;
  set: (tick: Tick) => void;
  at: { title: string; channel: string; build: string };
}

function PointCard({ point, tick, set, at }: CardProps) {
  const [noting, note] = useState(false);
  const text = noteHere(point.text);
  return (
    <article className="card" aria-label={text?.text}>
      {point.failed_before && <div className="severity warning">▲ failed last time</div>}
      <p style={{ margin: "0 0 10px" }} lang={text?.language || undefined}>
        {text?.text}
      </p>
      <SegmentedControl
        fullWidth
        aria-label={`What you saw: ${text?.text}`}
        data={[
          { value: "passed", label: "✓ As it says" },
          { value: "failed", label: "✗ Not so" },
        ]}
        value={tick.verdict ?? ""}
        onChange={(verdict) => set({ ...tick, verdict: verdict as Tick["verdict"] })}
      />
      {(tick.verdict === "failed" || tick.note || noting) && (
        <Textarea
          label="What you saw"
          mt="sm"
          autosize
          minRows={2}
          maxLength={2000}
          required={tick.verdict === "failed"}
          value={tick.note}
          onChange={(e) => set({ ...tick, note: e.currentTarget.value })}
        />
      )}
      <Pictures ids={tick.pictures} remove={(id) => set({ ...tick, pictures: tick.pictures.filter((p) => p !== id) })} />
      <AddPicture
        at={[at.title, at.channel, at.build]}
        count={tick.pictures.length}
        add={(id) => set({ ...tick, pictures: [...tick.pictures, id] })}
        label={point.picture && tick.pictures.length === 0 ? "Add the picture that is asked for" : undefined}
      />
      {tick.verdict !== "failed" && !tick.note && !noting && (
        <Button mt="sm" variant="subtle" color="gray" onClick={() => note(true)}>
          Add a note
        </Button>
      )}
    </article>
  );
}

function Finished({ title, channel, build, mine }: Of) {
  const { reopen } = useDraft(title, channel, build, mine);
  const failed = mine.ticks.filter((t) => t.verdict === "failed");
  return (
    <section className="card">
      <h2>{failed.length ? "Thank you: that is what has to be mended" : "Thank you: you signed it off"}</h2>
      <p>
        Finished {mine.finished_at && <When at={mine.finished_at} />}
        {mine.device && `, on ${mine.device}`}.{" "}
        {failed.length ? `${failed.length} of ${mine.checklist.points.length} points failed; the studio sees which.` : "Nothing failed."}
      </p>
      {failed.map((t) => (
        <div className="asked" key={t.point}>
          <b>{noteHere(mine.checklist.points.find((p) => p.name === t.point)?.text ?? [])?.text ?? t.point}</b>
          {t.note}
          <Pictures ids={t.pictures ?? []} />
        </div>
      ))}
      {reopen.error && <Failure error={reopen.error} />}
      <Button className="big" variant="default" fullWidth loading={reopen.isPending} onClick={() => reopen.mutate()}>
        Look again
      </Button>
    </section>
  );
}
