import { Button, Group, Modal, Select, TextInput } from "@mantine/core";
import { type FormEvent, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { Answer, Failure, PageHead, Panel, When } from "../../ui/parts";
import { useChannels } from "../channels/queries";
import { Platform } from "../profiles/Platform";
import { ReleaseSignOffsPanel } from "../sign-offs/SignOffs";
import { useTitle } from "../titles/queries";
import { LineState } from "./LineState";
import { PlaceReleaseDialogue } from "./PlaceReleaseDialogue";
import { type Release, type ReleaseLine, useChangeRelease, useRelease } from "./queries";
import { ReleaseNotes } from "./ReleaseNotes";

/** Which lines are there, which lag and why, and where is it live? */
export function ReleasePage() {
  const { title = "", release = "", channel } = useParams();
  const number = Number(release);
  const found = useRelease(title, number);
  const { data: named } = useTitle(title);
  const go = useNavigate();
  const at = `/titles/${title}/releases/${number}`;
  return (
    <>
      <PageHead
        title={found.data ? `${found.data.version_name}, release ${number} of ${named?.name ?? title}` : `Release ${number}`}
        aside={<ChannelPicker title={title} place={(name) => void go(`${at}/place/${name}`)} release={found.data} />}
      >
        {found.data && (
          <>
            {found.data.live_on.length ? `Live on ${found.data.live_on.join(", ")}.` : "Not live as a whole yet."} Made{" "}
            <When at={found.data.created_at} /> by {found.data.created_by}.
          </>
        )}
      </PageHead>
      <Answer of={found}>
        {(data) => (
          <>
            <Panel title="Lines" aside="all are placed, or none" flush>
              <Lines title={title} release={data} />
            </Panel>
            <div style={{ marginTop: 16 }}>
              <ReleaseNotes title={title} release={data} />
            </div>
            <div style={{ marginTop: 16 }}>
              <ReleaseSignOffsPanel title={title} release={number} />
            </div>
          </>
        )}
      </Answer>
      {channel && <PlaceReleaseDialogue title={title} number={number} channel={channel} close={() => void go(at)} />}
    </>
  );
}

function ChannelPicker({ title, release, place }: { title: string; release?: Release; place: (channel: string) => void }) {
  const { data } = useChannels(title);
  const act = release?.allowed_actions.find((a) => a.name === "place");
  return (
    <Select
      aria-label="Place it on a channel"
      placeholder="Place it on …"
      title={act?.reason}
      disabled={!act?.possible}
      size="sm"
      w={220}
      data={(data?.items ?? []).map((c) => c.name)}
      value={null}
      onChange={(name) => name && place(name)}
    />
  );
}

function Lines({ title, release }: { title: string; release: Release }) {
  const [leaving, leave] = useState<ReleaseLine | null>(null);
  const change = useChangeRelease(title, release.number);
  const may = release.allowed_actions.find((a) => a.name === "change")?.possible;
  return (
    <>
      {change.error && <Failure error={change.error} />}
      <table className="rows">
        <thead>
          <tr>
            <th>State</th>
            <th>For</th>
            <th>Build</th>
            <th>Live on</th>
            <th className="number">Act</th>
          </tr>
        </thead>
        <tbody>
          {release.lines.map((line) => (
            <tr key={line.line}>
              <td className="tight">
                <LineState state={line.state} />
              </td>
              <td className="tight">
                <Platform name={line.platform} /> <span className="dim wide">{line.profile}</span>
              </td>
              <td>
                {line.build ? (
                  <Link to={`/titles/${title}/builds/${line.build.number}`} style={{ fontWeight: 600 }}>
                    #{line.build.number}
                  </Link>
                ) : (
                  <span>{line.said}</span>
                )}
              </td>
              <td>{line.build?.live_on.join(", ")}</td>
              <td className="number">
                {may && line.state === "left-out" && (
                  <Button
                    size="compact-xs"
                    variant="default"
                    onClick={() => change.mutate({ path: "left-out", method: "PUT", body: { profile: line.profile, reason: "" } })}
                  >
                    Expect it again
                  </Button>
                )}
                {may && !line.build && line.state !== "left-out" && (
                  <Button size="compact-xs" variant="default" onClick={() => leave(line)}>
                    Leave it out …
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {leaving && <LeaveOut title={title} release={release} line={leaving} close={() => leave(null)} />}
    </>
  );
}

function LeaveOut({ title, release, line, close }: { title: string; release: Release; line: ReleaseLine; close: () => void }) {
  const change = useChangeRelease(title, release.number);
  const [reason, say] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    change.mutate({ path: "left-out", method: "PUT", body: { profile: line.profile, reason } }, { onSuccess: close });
  };
  return (
    <Modal opened onClose={close} title={<b>{`Leave ${line.line} out of release ${release.number}`}</b>}>
      <form onSubmit={send}>
        <TextInput
          label="Why"
          description="Everybody reads it. Its build may follow later."
          value={reason}
          onChange={(e) => say(e.currentTarget.value)}
          data-autofocus
        />
        {change.error && <Failure error={change.error} />}
        <Group justify="flex-end" gap="sm" mt="md">
          <Button variant="default" onClick={close}>
            Wait for it
          </Button>
          <Button type="submit" disabled={!reason.trim()} loading={change.isPending}>
            Leave it out
          </Button>
        </Group>
      </form>
    </Modal>
  );
}
