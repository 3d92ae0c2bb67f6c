import { Button, Modal, Group as Row, Select, TextInput } from "@mantine/core";
import { useState } from "react";

import { call } from "../../app/http";
import { plural } from "../../ui/format";
import { Answer, Empty, Failure, Panel, Soon } from "../../ui/parts";
import { type Access, useAccess, useChange, useGroups } from "./queries";

/** Who may install from this channel, and until when? */
export function AccessPanel({ title, channel }: { title: string; channel: string }) {
  const access = useAccess(title, channel);
  const [giving, give] = useState(false);
  const take = useChange(title, (id: string) => call(`/titles/${title}/channels/${channel}/access/${id}`, { method: "DELETE" }));
  const allowed = (
    <Button size="compact-xs" variant="default" onClick={() => give(true)}>
      Give access …
    </Button>
  );
  return (
    <Panel title="Who may install" aside={allowed} flush>
      {take.error && <Failure error={take.error} />}
      <Answer of={access} rows={2}>
        {({ items }) =>
          items.length ? (
            <Rows items={items} take={take.mutate} taking={take.isPending ? take.variables : undefined} />
          ) : (
            <Empty command={`bin/rampa channel give-access ${channel} --title ${title} --group GROUP`}>
              Nobody outside the studio. Give a group of testers access, until a date if you want.
            </Empty>
          )
        }
      </Answer>
      {giving && <Give title={title} channel={channel} close={() => give(false)} />}
    </Panel>
  );
}

function Rows({ items, take, taking }: { items: Access[]; take: (id: string) => void; taking?: string }) {
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Who</th>
          <th className="number">People</th>
          <th>Until</th>
          <th className="wide">Given by</th>
          <th className="number">Act</th>
        </tr>
      </thead>
      <tbody>
        {items.map((a) => (
          <tr key={a.id}>
            <td>{a.group ? <b>{a.group}</b> : `${a.person}, ${a.email}`}</td>
            <td className="number">{a.people}</td>
            <td>{a.until ? a.ended ? <span className="dim">ended</span> : <Soon at={a.until} /> : "it is taken away"}</td>
            <td className="wide">{a.given_by}</td>
            <td className="number">
              <Button
                size="compact-xs"
                variant="default"
                loading={taking === a.id}
                onClick={() => take(a.id)}
                aria-label={`Take away from ${a.group || a.person}, ${plural(a.people, "person loses", "people lose")} it at once`}
              >
                Take away
              </Button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Give({ title, channel, close }: { title: string; channel: string; close: () => void }) {
  const groups = useGroups(title);
  const [group, setGroup] = useState<string | null>(null);
  const [email, setEmail] = useState("");
  const [until, setUntil] = useState("");
  const give = useChange(title, () => {
    const whom = group ? { group } : { email };
    const ends = until ? { until: new Date(until).toISOString() } : {};
    return call(`/titles/${title}/channels/${channel}/access`, { method: "POST", body: { ...whom, ...ends } });
  });
  return (
    <Modal opened onClose={close} title={<b>Give access to {channel}</b>}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          give.mutate(undefined, { onSuccess: close });
        }}
      >
        <Select
          label="A group"
          clearable
          clearButtonProps={{ "aria-label": "No group" }}
          data={groups.data?.items.map((g) => g.name) ?? []}
          value={group}
          onChange={setGroup}
        />
        {!group && (
          <TextInput
            label="Or one person"
            description="Somebody who has an account here"
            type="email"
            mt="sm"
            value={email}
            onChange={(e) => setEmail(e.currentTarget.value)}
          />
        )}
        <TextInput
          label="Until"
          description="Your time; empty: until it is taken away"
          type="datetime-local"
          mt="sm"
          value={until}
          onChange={(e) => setUntil(e.currentTarget.value)}
        />
        {give.error && <Failure error={give.error} />}
        <Row justify="flex-end" mt="md">
          <Button type="submit" variant="filled" disabled={!group && !email} loading={give.isPending}>
            Give access
          </Button>
        </Row>
      </form>
    </Modal>
  );
}
