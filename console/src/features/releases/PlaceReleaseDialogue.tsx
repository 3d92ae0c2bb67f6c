import { Button, Group, Modal } from "@mantine/core";
import { useState } from "react";

import { bytes } from "../../ui/format";
import { Answer, Failure } from "../../ui/parts";
import { EVERY, extentBody, WhoGetsIt } from "../channels/WhoGetsIt";
import { Platform } from "../profiles/Platform";
import { LineState } from "./LineState";
import { type ReleasePreview, usePlaceRelease, useReleasePreview } from "./queries";

interface Props {
  title: string;
  number: number;
  channel: string;
  close: () => void;
}

/** What placing all lines will do, before it is done. */
export function PlaceReleaseDialogue({ title, number, channel, close }: Props) {
  const preview = useReleasePreview(title, number, channel);
  const place = usePlaceRelease(title, number);
  const [extent, setExtent] = useState(EVERY);
  const [key] = useState(() => crypto.randomUUID?.() ?? `release-${Date.now()}-${Math.random()}`);
  const seen = preview.data;
  const again = () => {
    place.reset();
    void preview.refetch();
  };
  return (
    <Modal
      opened
      onClose={close}
      size={860}
      title={<b>{`Place release ${number} on ${channel}`}</b>}
      closeButtonProps={{ "aria-label": "Close" }}
      attributes={{ header: { role: "presentation" } }}
    >
      <Answer of={preview} rows={6}>
        {(data) => <Body seen={data} />}
      </Answer>
      {seen?.possible && <WhoGetsIt extent={extent} set={setExtent} />}
      {place.error && <Failure error={place.error} retry={again} />}
      <Group justify="flex-end" gap="sm" mt="md">
        <Button variant="default" onClick={close}>
          Do not place
        </Button>
        <Button
          disabled={!seen?.possible || preview.isFetching}
          loading={place.isPending}
          onClick={() => seen && place.mutate({ seen, key, extent: extentBody(extent) }, { onSuccess: close })}
        >
          {seen && !seen.possible ? "Blocked" : `Place on ${channel}`}
        </Button>
      </Group>
    </Modal>
  );
}

function Body({ seen }: { seen: ReleasePreview }) {
  return (
    <>
      <table className="rows">
        <thead>
          <tr>
            <th>Line</th>
            <th>State</th>
            <th>Build</th>
            <th>Replaces</th>
            <th className="number">Download</th>
            <th className="number">Devices</th>
          </tr>
        </thead>
        <tbody>
          {seen.lines.map(({ line, placing, said }) => (
            <tr key={line.line}>
              <td className="tight">
                <Platform name={line.platform} />
              </td>
              <td className="tight">
                <LineState state={line.state} />
              </td>
              {placing ? (
                <>
                  <td>#{placing.build.number}</td>
                  <td>{placing.replaces ? `#${placing.replaces.number} (${placing.replaces.version_name})` : "nothing"}</td>
                  <td className="number">
                    {placing.update ? bytes(placing.update.download) : placing.fresh && bytes(placing.fresh.download)}
                  </td>
                  <td className="number">{placing.devices}</td>
                </>
              ) : (
                <td colSpan={4} className="dim">
                  {said}
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {seen.obstacles.map((text) => (
        <p key={text} className="sentence" style={{ margin: "8px 0 0" }}>
          <span className="severity blocker">
            <span aria-hidden>■</span> blocker
          </span>{" "}
          {text}
        </p>
      ))}
    </>
  );
}
