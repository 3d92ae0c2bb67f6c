import { Button, Group, Modal } from "@mantine/core";
import { Fragment, useState } from "react";

import { bytes } from "../../ui/format";
import { Answer, Failure } from "../../ui/parts";
import { PlacePreview } from "../channels/PlacePreview";
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
    <Modal opened onClose={close} size={860} title={<b>{`Place release ${number} on ${channel}`}</b>}>
      <Answer of={preview} rows={6}>
        {(data) => <Body title={title} seen={data} />}
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

function Body({ title, seen }: { title: string; seen: ReleasePreview }) {
  const [open, setOpen] = useState("");
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
            <th className="number">Details</th>
          </tr>
        </thead>
        <tbody>
          {seen.lines.map(({ line, placing, said }) => (
            <Fragment key={line.line}>
              <tr>
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
                    <td className="number">
                      <Button
                        size="compact-xs"
                        variant="default"
                        aria-expanded={open === line.line}
                        aria-label={`${open === line.line ? "Hide" : "Show"} details of #${placing.build.number}`}
                        onClick={() => setOpen(open === line.line ? "" : line.line)}
                      >
                        {open === line.line ? "Hide" : "Show"}
                      </Button>
                    </td>
                  </>
                ) : (
                  <td colSpan={5} className="dim">
                    {said}
                  </td>
                )}
              </tr>
              {placing && open === line.line && (
                <tr>
                  <td colSpan={7} style={{ padding: "12px 14px" }}>
                    <PlacePreview title={title} seen={placing} />
                  </td>
                </tr>
              )}
            </Fragment>
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
