import { Button, Select } from "@mantine/core";
import { useState } from "react";
import { Link } from "react-router";

import { Confirm } from "../../ui/Confirm";
import { Answer, Empty, When } from "../../ui/parts";
import { type TestDevice, type TestTitle, useOwnDevices, useRegistration, useRemoveDevice, useTesting } from "./queries";
import { Register } from "./RegistrationCode";
import "./testing.css";

/** Which devices are mine, and what do they have? */
export function OwnDevicesPage() {
  const devices = useOwnDevices();
  const testing = useTesting();
  return (
    <>
      <h1>Your devices</h1>
      <Answer of={devices} rows={4}>
        {({ items }) =>
          items.length ? (
            items.map((device) => <Device key={device.id} device={device} />)
          ) : (
            <div className="card">
              <Empty>You have no device yet. Register one: it makes a key of its own, and installs by itself from then on.</Empty>
            </div>
          )
        }
      </Answer>
      {testing.data && testing.data.titles.length > 0 && (
        <>
          <RegisterOne titles={testing.data.titles} />
          <p className="card">
            No device at hand? <Link to="/testing/simulated">Try it on a simulated one</Link>.
          </p>
        </>
      )}
    </>
  );
}

function Device({ device }: { device: TestDevice }) {
  const [asking, ask] = useState(false);
  return (
    <article className="card">
      <div className="first">
        <b>{device.name}</b>
        {device.simulated && <span>simulated</span>}
        <span className="dim">
          {device.last_seen_at ? (
            <>
              seen <When at={device.last_seen_at} />
            </>
          ) : (
            "not seen yet"
          )}
        </span>
      </div>
      <dl className="facts" style={{ marginTop: 8 }}>
        <dt>Is</dt>
        <dd>{[device.platform_title, device.level, device.form].filter(Boolean).join(", ")}</dd>
        <dt>Follows</dt>
        <dd>
          {device.channel} of {device.title_name}
        </dd>
        <dt>Has</dt>
        <dd>{device.build ? `#${device.build}, ${device.version_name}` : "nothing yet"}</dd>
      </dl>
      {device.cannot_run.length > 0 && (
        <p className="severity warning" style={{ whiteSpace: "normal" }}>
          ▲ It cannot run {device.cannot_run.map((b) => `#${b}`).join(", ")}: signed before it was known. An engineer signs again.
        </p>
      )}
      <Button variant="subtle" size="compact-sm" mt={8} onClick={() => ask(true)}>
        Take it out …
      </Button>
      {asking && <TakeOut device={device} close={() => ask(false)} />}
    </article>
  );
}

function TakeOut({ device, close }: { device: TestDevice; close: () => void }) {
  const remove = useRemoveDevice();
  return (
    <Confirm
      title={`Take ${device.name} out`}
      keep="Keep it"
      act={"Take it out"}
      error={remove.error}
      pending={remove.isPending}
      confirm={() => remove.mutate(device.id, { onSuccess: close })}
      close={close}
    >
      It fetches nothing more from this moment on, as if it were lost. What is installed on it stays there. To use it again, it is
      registered anew.
    </Confirm>
  );
}

function RegisterOne({ titles }: { titles: TestTitle[] }) {
  const choices = titles.flatMap((t) => t.channels.map((c) => ({ value: `${t.title}/${c.channel}`, label: `${t.name}, ${c.channel}` })));
  const [chosen, choose] = useState(choices[0]?.value ?? "");
  const [title = "", channel = ""] = chosen.split("/");
  const registration = useRegistration(title, channel);
  return (
    <section className="card">
      <h2>Register a device</h2>
      {choices.length > 1 && !registration.data && (
        <Select label="For" mt="xs" data={choices} value={chosen} allowDeselect={false} onChange={(v) => v && choose(v)} />
      )}
      <Register registration={registration} label="Make a code" variant="filled" />
    </section>
  );
}
