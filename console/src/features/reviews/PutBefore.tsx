import { Button, Group, Menu, Modal, NumberInput, Select, Textarea } from "@mantine/core";
import { useState } from "react";
import { useNavigate } from "react-router";

import { Failure } from "../../ui/parts";
import { useChannels } from "../channels/queries";
import { usePutBefore } from "./queries";

/** To a storefront's reviewers, or to the studio's own. */
export function PutBefore({ title, build, purpose }: { title: string; build: number; purpose: string }) {
  const [asking, ask] = useState(false);
  const go = useNavigate();
  return (
    <>
      <Menu position="bottom-end" withinPortal>
        <Menu.Target>
          <Button size="compact-md" variant="default">
            Put before reviewers …
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item
            disabled={purpose !== "release"}
            title={purpose === "release" ? undefined : "Storefronts take builds for release alone."}
            onClick={() => void go(`/titles/${title}/submissions/submit?build=${build}`)}
          >
            Of its storefront …
          </Menu.Item>
          <Menu.Item onClick={() => ask(true)}>Of the studio …</Menu.Item>
        </Menu.Dropdown>
      </Menu>
      {asking && <Ask title={title} build={build} close={() => ask(false)} />}
    </>
  );
}

function Ask({ title, build, close }: { title: string; build: number; close: () => void }) {
  const { data } = useChannels(title);
  const put = usePutBefore(title);
  const go = useNavigate();
  const names = (data?.items ?? []).map((c) => c.name);
  const [channel, setChannel] = useState<string | null>(null);
  const [notes, setNotes] = useState("");
  const [hours, setHours] = useState(24);
  const wanted = channel ?? names.at(-1) ?? "";
  const send = () =>
    put.mutate({ build, channel: wanted, notes, hours }, { onSuccess: (made) => void go(`/titles/${title}/reviews/${made.number}`) });
  return (
    <Modal opened onClose={close} title={<b>{`Put #${build} before the studio's reviewers`}</b>}>
      <Select label="For the channel" data={names} value={wanted} onChange={setChannel} allowDeselect={false} />
      <Textarea
        label="What they should look at"
        autosize
        minRows={2}
        mt="sm"
        value={notes}
        onChange={(e) => setNotes(e.currentTarget.value)}
      />
      <NumberInput
        label="A verdict is promised within"
        suffix=" h"
        min={1}
        max={720}
        mt="sm"
        value={hours}
        onChange={(v) => setHours(Number(v) || 24)}
      />
      {put.error && <Failure error={put.error} />}
      <Group justify="flex-end" gap="sm" mt="md">
        <Button variant="default" onClick={close}>
          Leave it
        </Button>
        <Button disabled={!wanted} loading={put.isPending} onClick={send}>
          Put it before them
        </Button>
      </Group>
    </Modal>
  );
}
