import { ActionIcon, Button, Group, Modal, Select, TextInput } from "@mantine/core";
import { IconArrowDown, IconArrowUp } from "@tabler/icons-react";
import { type FormEvent, useState } from "react";
import { Link, useParams } from "react-router";

import { plural } from "../../ui/format";
import { Answer, Failure, PageHead, Panel } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { type Channel, useChangeChannels, useChannels } from "./queries";

const AUDIENCES = [
  { value: "by-invitation", label: "by invitation" },
  { value: "for-everybody", label: "for everybody" },
];
const audience = (channel: Channel) => AUDIENCES.find((a) => a.value === channel.audience)?.label;

/** Which channels does the title have, in which order, for whom? */
export function ChannelsPage() {
  const { title = "" } = useParams();
  const channels = useChannels(title);
  const { data: found } = useTitle(title);
  const [adding, add] = useState(false);
  const may = channels.data?.items[0]?.allowed_actions.find((a) => a.name === "change");
  return (
    <>
      <PageHead
        title={`Channels of ${found?.name ?? title}`}
        aside={
          <Button disabled={!may?.possible} title={may?.reason} onClick={() => add(true)}>
            Add a channel …
          </Button>
        }
      >
        A build climbs them in this order, from the studio to everybody.
      </PageHead>
      <Panel title="In their order" flush>
        <Answer of={channels} rows={4}>
          {({ items }) => <Order title={title} channels={items} may={may?.possible ?? false} />}
        </Answer>
      </Panel>
      {adding && <Add title={title} channels={channels.data?.items ?? []} close={() => add(false)} />}
    </>
  );
}

function Order({ title, channels, may }: { title: string; channels: Channel[]; may: boolean }) {
  const change = useChangeChannels(title);
  const [changing, open] = useState<Channel>();
  const move = (name: string, after: string) => change.mutate({ path: `/${name}`, method: "PATCH", body: { after } });
  return (
    <>
      {change.error && <Failure error={change.error} />}
      <table className="rows">
        <thead>
          <tr>
            <th>Channel</th>
            <th>For</th>
            <th>Live</th>
            {may && <th>Order</th>}
            {may && <th>Change</th>}
          </tr>
        </thead>
        <tbody>
          {channels.map((channel, i) => (
            <tr key={channel.name}>
              <td>
                <Link to={`/titles/${title}/channels/${channel.name}`} style={{ fontWeight: 600 }}>
                  {channel.name}
                </Link>
                {channel.former.length > 0 && <span className="dim wide"> was {channel.former.join(", ")}</span>}
              </td>
              <td className="tight">{audience(channel)}</td>
              <td>{channel.live.length ? plural(channel.live.length, "build") : <span className="dim">nothing</span>}</td>
              {may && (
                <td className="tight">
                  <ActionIcon
                    variant="default"
                    aria-label={`Move ${channel.name} up`}
                    disabled={i === 0 || change.isPending}
                    onClick={() => move(channel.name, channels[i - 2]?.name ?? "")}
                  >
                    <IconArrowUp size={16} />
                  </ActionIcon>{" "}
                  <ActionIcon
                    variant="default"
                    aria-label={`Move ${channel.name} down`}
                    disabled={i === channels.length - 1 || change.isPending}
                    onClick={() => move(channel.name, channels[i + 1]?.name ?? "")}
                  >
                    <IconArrowDown size={16} />
                  </ActionIcon>
                </td>
              )}
              {may && (
                <td>
                  <Button size="compact-xs" variant="default" aria-label={`Change ${channel.name}`} onClick={() => open(channel)}>
                    Change …
                  </Button>
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {changing && <Change title={title} channel={changing} close={() => open(undefined)} />}
    </>
  );
}

function Change({ title, channel, close }: { title: string; channel: Channel; close: () => void }) {
  const change = useChangeChannels(title);
  const [name, setName] = useState(channel.name);
  const [to, choose] = useState<string>(channel.audience);
  const path = `/${channel.name}`;
  const send = (event: FormEvent) => {
    event.preventDefault();
    change.mutate({ path, method: "PATCH", body: { name, audience: to } }, { onSuccess: close });
  };
  return (
    <Modal opened onClose={close} title={`The channel ${channel.name}`}>
      <form onSubmit={send}>
        {change.error && <Failure error={change.error} />}
        <TextInput
          label="Name"
          description="The old one goes on meaning this channel: devices know it by that."
          required
          value={name}
          onChange={(e) => setName(e.currentTarget.value)}
        />
        <Select label="For" data={AUDIENCES} value={to} onChange={(v) => v && choose(v)} allowDeselect={false} mt="xs" />
        <Group justify="space-between" mt="md">
          <Button
            variant="default"
            color="red"
            loading={change.isPending}
            onClick={() => change.mutate({ path, method: "DELETE" }, { onSuccess: close })}
          >
            Remove it
          </Button>
          <Button type="submit" variant="filled" loading={change.isPending}>
            Change it
          </Button>
        </Group>
      </form>
    </Modal>
  );
}

function Add({ title, channels, close }: { title: string; channels: Channel[]; close: () => void }) {
  const change = useChangeChannels(title);
  const [name, setName] = useState("");
  const [to, choose] = useState("by-invitation");
  const [after, stand] = useState(channels.at(-1)?.name ?? "");
  const send = (event: FormEvent) => {
    event.preventDefault();
    change.mutate({ method: "POST", body: { name, audience: to, after } }, { onSuccess: close });
  };
  return (
    <Modal opened onClose={close} title="Add a channel">
      <form onSubmit={send}>
        {change.error && <Failure error={change.error} />}
        <TextInput
          label="Name"
          description="Small letters, digits and dashes"
          required
          data-autofocus
          value={name}
          onChange={(e) => setName(e.currentTarget.value)}
        />
        <Select label="For" data={AUDIENCES} value={to} onChange={(v) => v && choose(v)} allowDeselect={false} mt="xs" />
        <Select
          label="Behind"
          data={channels.map((c) => c.name)}
          value={after}
          onChange={(v) => v && stand(v)}
          allowDeselect={false}
          mt="xs"
        />
        <Group justify="flex-end" mt="md">
          <Button type="submit" variant="filled" loading={change.isPending}>
            Add it
          </Button>
        </Group>
      </form>
    </Modal>
  );
}
