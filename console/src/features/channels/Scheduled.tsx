import { Button, Group, Popover } from "@mantine/core";
import { useState } from "react";
import { Link } from "react-router";

import type { Schemas } from "../../app/http";
import { Failure, Panel, Soon, When } from "../../ui/parts";
import { useCancelScheduled, useMoveScheduled, useScheduled } from "./queries";
import { type Moment, momentBody, WhenToPlace } from "./WhenToPlace";

type One = Schemas["Scheduled"];

/** What goes to channels by itself, when, and what did not go; nothing where nothing does. */
export function Scheduled({ title, channel }: { title: string; channel?: string }) {
  const { data } = useScheduled(title);
  const cancel = useCancelScheduled(title);
  const here = (data?.items ?? []).filter((s) => !channel || s.channel === channel);
  if (here.length === 0) return null;
  return (
    <div style={{ marginTop: 16 }}>
      <Panel title="Scheduled" flush>
        {cancel.error && <Failure error={cancel.error} />}
        <table className="rows">
          <thead>
            <tr>
              <th>What</th>
              <th>When</th>
              <th className="wide">Who gets it</th>
              <th className="wide">By</th>
              <th className="number">Act</th>
            </tr>
          </thead>
          <tbody>
            {here.map((one) => (
              <tr key={one.number}>
                <td>
                  {one.what}
                  {!channel && <span className="dim"> on {one.channel}</span>}
                  {one.said && <div className={one.state === "refused" ? undefined : "dim"}>{one.said}</div>}
                </td>
                <td>
                  <Told one={one} />
                </td>
                <td className="wide">{one.plan || (one.share !== null && one.share < 100 ? `${one.share} %` : "every device")}</td>
                <td className="wide">{one.by}</td>
                <td className="number">
                  {one.state === "refused" ? <Now one={one} /> : <Acts one={one} cancel={() => cancel.mutate(one.number)} />}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Panel>
    </div>
  );
}

function Told({ one }: { one: One }) {
  if (one.state !== "refused") return one.at ? <Soon at={one.at} /> : "when its gates open";
  return (
    <>
      <b style={{ color: "var(--r-blocker)", whiteSpace: "nowrap" }}>
        <span aria-hidden>■</span> did not go
      </b>{" "}
      {one.ended_at && <When at={one.ended_at} />}
    </>
  );
}

/** One click from going: the dialogue says what it would do, and which gates are closed. */
function Now({ one }: { one: One }) {
  const at = one.build ? `channels/${one.channel}/place/${one.build}` : `releases/${one.release}/place/${one.channel}`;
  return (
    <Button component={Link} to={`/titles/${one.title}/${at}`} size="compact-xs">
      Place …
    </Button>
  );
}

function Acts({ one, cancel }: { one: One; cancel: () => void }) {
  const act = one.allowed_actions.find((a) => a.name === "cancel");
  return (
    <Group gap={6} justify="flex-end" wrap="nowrap">
      <Move one={one} possible={Boolean(act?.possible)} />
      <Button size="compact-xs" variant="default" disabled={!act?.possible} title={act?.reason} onClick={cancel}>
        Cancel
      </Button>
    </Group>
  );
}

function Move({ one, possible }: { one: One; possible: boolean }) {
  const move = useMoveScheduled(one.title);
  const [open, setOpen] = useState(false);
  const [when, setWhen] = useState<Moment>({ kind: one.at ? "at" : "open", at: one.at ? local(one.at) : "" });
  const send = () => move.mutate({ number: one.number, at: momentBody(when) }, { onSuccess: () => setOpen(false) });
  return (
    <Popover opened={open} onChange={setOpen} position="bottom-end" trapFocus withArrow>
      <Popover.Target>
        <Button size="compact-xs" variant="default" disabled={!possible} onClick={() => setOpen(!open)}>
          Move …
        </Button>
      </Popover.Target>
      <Popover.Dropdown>
        <WhenToPlace when={when} set={setWhen} closed never />
        {move.error && <Failure error={move.error} />}
        <Group justify="flex-end" mt="xs">
          <Button size="compact-sm" loading={move.isPending} disabled={when.kind === "at" && !when.at} onClick={send}>
            {when.kind === "at" ? "Move it to that moment" : "Place it when its gates open"}
          </Button>
        </Group>
      </Popover.Dropdown>
    </Popover>
  );
}

/** As a field for moments of this browser's zone takes it. */
function local(moment: string): string {
  const at = new Date(moment);
  return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
}
