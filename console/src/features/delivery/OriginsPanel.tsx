import { Button } from "@mantine/core";
import { useState } from "react";

import { call } from "../../app/http";
import { Confirm } from "../../ui/Confirm";
import { PauseRemove } from "../../ui/PauseRemove";
import { Answer, Empty, Failure, Panel, When } from "../../ui/parts";
import { AddOrigin } from "./AddOrigin";
import { type Origin, useOriginAct, useOrigins } from "./queries";

/** Where the files lie besides the service, and whether they are current there. */
export function OriginsPanel({ title }: { title: string }) {
  const origins = useOrigins(title);
  const [adding, add] = useState(false);
  const [removing, setRemoving] = useState<Origin>();
  return (
    <Panel
      title="Origins"
      aside={
        <Button size="compact-sm" variant="default" onClick={() => add(true)}>
          Add an origin …
        </Button>
      }
      flush
    >
      <Answer of={origins} rows={2}>
        {({ items }) =>
          items.length ? (
            <Rows title={title} items={items} remove={setRemoving} />
          ) : (
            <Empty command={`bin/rampa delivery write /srv/delivery --title ${title}`}>
              Devices fetch from the service alone. Write the files to a folder that a web server hands out, or a bucket, then add its
              address.
            </Empty>
          )
        }
      </Answer>
      {adding && <AddOrigin title={title} close={() => add(false)} />}
      {removing && <Remove title={title} origin={removing} close={() => setRemoving(undefined)} />}
    </Panel>
  );
}

function Rows({ title, items, remove }: { title: string; items: Origin[]; remove: (origin: Origin) => void }) {
  const pause = useOriginAct(title, (o: Origin) =>
    call(`/titles/${title}/delivery/origins/${o.name}`, { method: "PATCH", body: { paused: !o.paused } }),
  );
  return (
    <>
      {pause.error && <Failure error={pause.error} />}
      <table className="rows">
        <thead>
          <tr>
            <th>Origin</th>
            <th className="wide">Address</th>
            <th className="number">Priority</th>
            <th>State</th>
            <th className="wide">Looked at</th>
            <th className="number">Act</th>
          </tr>
        </thead>
        <tbody>
          {items.map((o) => (
            <tr key={o.name}>
              <td>{o.name}</td>
              <td className="wide path">{o.address}</td>
              <td className="number">{o.priority}</td>
              <td>
                <State of={o} />
              </td>
              <td className="wide tight">{o.looked_at ? <When at={o.looked_at} /> : <span className="dim">not yet</span>}</td>
              <td>
                <PauseRemove
                  name={o.name}
                  paused={o.paused}
                  pausing={pause.isPending && pause.variables.name === o.name}
                  may={o.allowed_actions[0]}
                  pause={() => pause.mutate(o)}
                  remove={() => remove(o)}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function State({ of }: { of: Origin }) {
  if (of.paused) return <span className="severity warning">▲ paused</span>;
  if (of.said)
    return (
      <span className="severity blocker" style={{ whiteSpace: "normal" }}>
        ✗ {of.said}
      </span>
    );
  return of.good_at ? <span className="came">✓ current</span> : <span className="dim">not looked at yet</span>;
}

function Remove({ title, origin, close }: { title: string; origin: Origin; close: () => void }) {
  const remove = useOriginAct(title, () => call(`/titles/${title}/delivery/origins/${origin.name}`, { method: "DELETE" }));
  return (
    <Confirm
      title={`Remove ${origin.name}`}
      keep="Keep it"
      act={`Remove ${origin.name}`}
      error={remove.error}
      pending={remove.isPending}
      confirm={() => remove.mutate(undefined, { onSuccess: close })}
      close={close}
    >
      Devices fetch nothing from {origin.address} any more, from their next look on. The files stay where they are.
    </Confirm>
  );
}
