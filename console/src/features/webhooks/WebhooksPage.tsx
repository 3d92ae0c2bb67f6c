import { Button, Group, Modal, TextInput } from "@mantine/core";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { Confirm } from "../../ui/Confirm";
import { PauseRemove } from "../../ui/PauseRemove";
import { Answer, Command, Empty, Failure, PageHead, Panel, When } from "../../ui/parts";
import { useTitle } from "../titles/queries";
import { useWebhookAct, useWebhooks, type Webhook } from "./queries";
import { WebhookState } from "./WebhookState";

/** Where are this title's events sent, and does that work? */
export function WebhooksPage() {
  const { title = "" } = useParams();
  const { data: found } = useTitle(title);
  const webhooks = useWebhooks(title);
  const [adding, add] = useState(false);
  const [removing, setRemoving] = useState<Webhook>();
  return (
    <>
      <PageHead
        title={`Webhooks of ${found?.name ?? title}`}
        aside={
          <Button variant="filled" onClick={() => add(true)}>
            Add a webhook …
          </Button>
        }
      >
        Each event is sent as a signed CloudEvent, once, and again for a day where nobody takes it.
      </PageHead>
      <Panel title="Where events are sent" flush>
        <Answer of={webhooks} rows={3}>
          {({ items }) =>
            items.length ? (
              <Rows title={title} items={items} remove={setRemoving} />
            ) : (
              <Empty command={`bin/rampa webhook add night-chat https://hooks.quillback.example/rampa --title ${title}`}>
                Nothing is sent anywhere. Add an address that takes events.
              </Empty>
            )
          }
        </Answer>
      </Panel>
      {adding && <Add title={title} close={() => add(false)} />}
      {removing && <Remove title={title} webhook={removing} close={() => setRemoving(undefined)} />}
    </>
  );
}

function Rows({ title, items, remove }: { title: string; items: Webhook[]; remove: (w: Webhook) => void }) {
  const pause = useWebhookAct(title, (w: Webhook) =>
    call<Webhook>(`/titles/${title}/webhooks/${w.name}`, { method: "PATCH", body: { paused: !w.paused } }),
  );
  return (
    <>
      {pause.error && <Failure error={pause.error} />}
      <table className="rows">
        <thead>
          <tr>
            <th>Webhook</th>
            <th className="wide">Address</th>
            <th className="wide">Events</th>
            <th>State</th>
            <th className="wide">Last sent</th>
            <th className="number">Act</th>
          </tr>
        </thead>
        <tbody>
          {items.map((w) => (
            <tr key={w.name}>
              <td>
                <Link to={`/titles/${title}/webhooks/${w.name}`} style={{ fontWeight: 600 }}>
                  {w.name}
                </Link>
              </td>
              <td className="wide path">{w.address}</td>
              <td className="wide">{w.acts.join(", ") || "everything"}</td>
              <td>
                <WebhookState of={w} />
              </td>
              <td className="wide tight">{w.last_at ? <When at={w.last_at} /> : <span className="dim">never</span>}</td>
              <td>
                <PauseRemove
                  name={w.name}
                  paused={w.paused}
                  pausing={pause.isPending && pause.variables.name === w.name}
                  pause={() => pause.mutate(w)}
                  remove={() => remove(w)}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Add({ title, close }: { title: string; close: () => void }) {
  const [name, setName] = useState("");
  const [address, setAddress] = useState("");
  const [acts, setActs] = useState("");
  const add = useWebhookAct(title, () => {
    const body = { name, address, acts: acts.split(/[\s,]+/).filter(Boolean) };
    return call<Schemas["MadeWebhook"]>(`/titles/${title}/webhooks`, { method: "POST", body });
  });
  if (add.data)
    return (
      <Modal opened onClose={close} title={<b>{name} is added</b>}>
        <p style={{ marginTop: 0 }}>This secret checks what is sent (Standard Webhooks 1.0). It is shown this once:</p>
        <Command text={add.data.secret} />
      </Modal>
    );
  return (
    <Modal opened onClose={close} title={<b>Add a webhook</b>}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate(undefined);
        }}
      >
        <TextInput
          label="Name"
          required
          pattern="[a-z0-9][a-z0-9\-]{0,48}"
          placeholder="night-chat"
          value={name}
          onChange={(e) => setName(e.currentTarget.value)}
        />
        <TextInput
          label="Address"
          description="Engineers see it whole"
          required
          type="url"
          mt="sm"
          placeholder="https://hooks.quillback.example/rampa"
          value={address}
          onChange={(e) => setAddress(e.currentTarget.value)}
        />
        <TextInput
          label="Events"
          description="How their acts begin, such as build. or run.fail; empty for everything"
          mt="sm"
          placeholder="run.fail, placement., health."
          value={acts}
          onChange={(e) => setActs(e.currentTarget.value)}
        />
        {add.error && <Failure error={add.error} />}
        <Group justify="flex-end" mt="md">
          <Button type="submit" variant="filled" loading={add.isPending}>
            Add it
          </Button>
        </Group>
      </form>
    </Modal>
  );
}

function Remove({ title, webhook, close }: { title: string; webhook: Webhook; close: () => void }) {
  const remove = useWebhookAct(title, () => call<void>(`/titles/${title}/webhooks/${webhook.name}`, { method: "DELETE" }));
  return (
    <Confirm
      title={`Remove ${webhook.name}`}
      keep="Keep it"
      act={`Remove ${webhook.name}`}
      error={remove.error}
      pending={remove.isPending}
      confirm={() => remove.mutate(undefined, { onSuccess: close })}
      close={close}
    >
      {webhook.waiting ? `${webhook.waiting} events that are on their way are not sent.` : "Nothing is on its way to it."} What was sent is
      forgotten here, too.
    </Confirm>
  );
}
