import { Button, Group, Modal, Select } from "@mantine/core";
import { useState } from "react";

import { bytes, plural } from "../../ui/format";
import { Answer, Failure } from "../../ui/parts";
import { Platform } from "../profiles/Platform";
import { type Channel, type RollBackPreview, useRollBack, useRollBackPreview } from "./queries";

/** To which build, what devices then do; then doing it. */
export function RollBackDialogue({ title, channel, close }: { title: string; channel: Channel; close: () => void }) {
  const [number, setNumber] = useState<number | null>(null);
  const before = [...new Map(channel.history.map((p) => [p.build.number, p])).values()];
  const live = new Set(channel.live.filter((p) => p.state === "whole").map((p) => p.build.number));
  return (
    <Modal opened onClose={close} size={720} title={<b>{`Roll ${channel.name} back`}</b>}>
      <Select
        label="To the build"
        placeholder="One that was placed here before"
        data={before.map((p) => ({
          value: String(p.build.number),
          label: `#${p.build.number} ${p.build.version_name}, ${p.line}${live.has(p.build.number) ? ", live now" : ""}`,
        }))}
        value={number === null ? null : String(number)}
        onChange={(value) => setNumber(value === null ? null : Number(value))}
        nothingFoundMessage="Nothing was placed here before"
      />
      {number === null ? (
        <Group justify="flex-end" mt="md">
          <Button variant="default" onClick={close}>
            Leave it
          </Button>
        </Group>
      ) : (
        <To key={number} title={title} channel={channel.name} build={number} close={close} />
      )}
    </Modal>
  );
}

function To({ title, channel, build, close }: { title: string; channel: string; build: number; close: () => void }) {
  const preview = useRollBackPreview(title, channel, build);
  const act = useRollBack(title, channel);
  const seen = preview.data;
  return (
    <>
      <Answer of={preview} rows={4}>
        {(data) => <Seen seen={data} />}
      </Answer>
      {act.error && (
        <Failure
          error={act.error}
          retry={() => {
            act.reset();
            void preview.refetch();
          }}
        />
      )}
      <Group justify="flex-end" gap="sm" mt="md">
        <Button variant="default" onClick={close}>
          Leave it
        </Button>
        <Button
          className="danger"
          color="rust.7"
          disabled={!seen || Boolean(seen.obstacle) || preview.isFetching}
          loading={act.isPending}
          onClick={() => seen && act.mutate(seen, { onSuccess: close })}
        >
          Roll back to #{build}
        </Button>
      </Group>
    </>
  );
}

function Seen({ seen }: { seen: RollBackPreview }) {
  if (seen.obstacle) return <p className="sentence">{seen.obstacle}.</p>;
  return (
    <>
      <p>
        Every device gets <b>{seen.build.version_name}</b>, code {seen.build.version_code}, at its next look, in place of{" "}
        {seen.replaces.map((b) => `#${b.number} (${b.version_name})`).join(" and ")}.{" "}
        {seen.new_code && (
          <>
            <Platform name={seen.build.platform} /> installs nothing over a higher version code: the same files are signed again under a new
            one. Nothing is built.
          </>
        )}
      </p>
      {seen.devices.length === 0 ? (
        <p className="dim">No device of the channel has another build.</p>
      ) : (
        <table className="rows">
          <thead>
            <tr>
              <th>Devices with</th>
              <th className="number">Devices</th>
              <th className="number">Each downloads</th>
              <th className="number">Writes</th>
            </tr>
          </thead>
          <tbody>
            {seen.devices.map((d) => (
              <tr key={d.build.number}>
                <td>
                  #{d.build.number} {d.build.version_name}
                </td>
                <td className="number">{plural(d.devices, "device")}</td>
                <td className="number">{bytes(d.update.download)}</td>
                <td className="number">{bytes(d.update.written)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {seen.devices.length > 0 && <p className="dim">A device that kept the build downloads nothing.</p>}
    </>
  );
}
