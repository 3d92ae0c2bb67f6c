import { Button } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { Confirm } from "../../ui/Confirm";
import { plural } from "../../ui/format";
import { Answer, Empty, Failure, PageHead, Panel, When } from "../../ui/parts";
import { Platform } from "../profiles/Platform";

type Device = Schemas["Device"];

/** Which devices follow which channel, whose are they, and what do they have? */
export function DevicesPage() {
  const { title = "" } = useParams();
  const [leaving, setLeaving] = useState<Device>();
  const devices = useQuery({
    queryKey: ["devices", title],
    queryFn: () => call<Schemas["Page_Device_"]>(`/titles/${title}/devices`),
    refetchInterval: 8_000,
  });
  return (
    <>
      <PageHead title="Devices">
        Each has a key of its own, and installs what its channel has. Simulated ones install for real and say so:{" "}
        <Link to={`/titles/${title}/devices/simulated`}>look at some</Link>.
      </PageHead>
      <Panel title="Registered devices" aside={devices.data && plural(devices.data.items.length, "device")} flush>
        <Answer of={devices}>
          {({ items }) =>
            items.length === 0 ? (
              <Empty command="bin/rampa device add FOLDER --channel studio">
                No device is registered. Testers register theirs on their own pages; add a simulated one:
              </Empty>
            ) : (
              <Rows title={title} devices={items} remove={setLeaving} />
            )
          }
        </Answer>
      </Panel>
      {leaving && <TakeOut title={title} device={leaving} close={() => setLeaving(undefined)} />}
    </>
  );
}

function Rows({ title, devices, remove }: { title: string; devices: Device[]; remove: (d: Device) => void }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Device</th>
          <th className="wide">Whose</th>
          <th>Platform</th>
          <th>Follows</th>
          <th>Has</th>
          <th className="wide">Last seen</th>
          <th className="number">Act</th>
        </tr>
      </thead>
      <tbody>
        {devices.map((d) => (
          <tr key={d.name}>
            <td>
              <b>{d.name}</b> {d.simulated && <span className="dim">simulated</span>}
              {d.cannot_run.length > 0 && <CannotRun title={title} device={d} />}
            </td>
            <td className="wide">{d.person || <span className="dim">written down by {d.registered_by}</span>}</td>
            <td>
              <Platform name={d.platform} /> <span className="dim">{[d.level, d.form].filter(Boolean).join(", ")}</span>
            </td>
            <td>
              <Link to={`/titles/${title}/channels/${d.channel}`}>{d.channel}</Link>
            </td>
            <td>
              {d.build ? <Link to={`/titles/${title}/builds/${d.build}`}>#{d.build}</Link> : <span className="dim">nothing yet</span>}
            </td>
            <td className="wide">{d.last_seen_at ? <When at={d.last_seen_at} /> : <span className="dim">never</span>}</td>
            <td className="number">
              <Button size="compact-xs" variant="default" onClick={() => remove(d)} aria-label={`Take out … ${d.name}`}>
                Take out …
              </Button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** It came after the grant of what is live: one act makes a new grant, where one is needed, and signs with it. */
function CannotRun({ title, device }: { title: string; device: Device }) {
  const queries = useQueryClient();
  const sign = useMutation({
    mutationFn: () => call<Schemas["ReSignedFor"]>(`/titles/${title}/devices/${device.name}/re-sign`, { method: "POST" }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["devices", title] }),
  });
  return (
    <div>
      <span className="severity warning">▲ cannot run {device.cannot_run.map((b) => `#${b}`).join(", ")}</span>{" "}
      <Button size="compact-xs" variant="default" loading={sign.isPending} onClick={() => sign.mutate()}>
        Sign again for it
      </Button>
      {sign.error && <Failure error={sign.error} />}
    </div>
  );
}

function TakeOut({ title, device, close }: { title: string; device: Device; close: () => void }) {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () => call<void>(`/titles/${title}/devices/${device.name}`, { method: "DELETE" }),
    onSuccess: () => {
      close();
      return queries.invalidateQueries({ queryKey: ["devices", title] });
    },
  });
  return (
    <Confirm
      title={`Take ${device.name} out`}
      keep="Keep it"
      act={`Take ${device.name} out`}
      error={remove.error}
      pending={remove.isPending}
      confirm={() => remove.mutate()}
      close={close}
    >
      {device.person ? `${device.person}'s device fetches` : "It fetches"} nothing more from this moment on. What is installed on it stays
      there; grants that list it stay as they are until they end.
    </Confirm>
  );
}
