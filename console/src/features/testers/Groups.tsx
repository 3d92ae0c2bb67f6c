import { Button, Modal, NumberInput, Group as Row, TextInput } from "@mantine/core";
import { useState } from "react";
import { Link } from "react-router";

import { call } from "../../app/http";
import { Confirm } from "../../ui/Confirm";
import { plural } from "../../ui/format";
import { Empty, Failure, Soon } from "../../ui/parts";
import { type Group, useChange } from "./queries";

/** Groups with their seats and channels; each act says first what it does. */
export function Groups({ title, groups }: { title: string; groups: Group[] }) {
  const [changing, setChanging] = useState<Group | "new">();
  const [removing, setRemoving] = useState<Group>();
  return (
    <>
      {groups.length === 0 ? (
        <Empty command={`bin/rampa group add night-crew --title ${title}`}>
          A group is given channels, and everybody in it may install from them. Make the first one.
        </Empty>
      ) : (
        <table className="rows">
          <thead>
            <tr>
              <th>Group</th>
              <th className="number">Members</th>
              <th className="number wide">Invited</th>
              <th className="wide">Seats</th>
              <th>May install from</th>
              <th className="number">Act</th>
            </tr>
          </thead>
          <tbody>
            {groups.map((g) => (
              <tr key={g.name}>
                <td>
                  <Link to={`/titles/${title}/testers?group=${g.name}`} style={{ fontWeight: 600 }}>
                    {g.name}
                  </Link>
                </td>
                <td className="number">{g.members}</td>
                <td className="number wide">{g.invited}</td>
                <td className="wide">{g.seats ? `${Math.max(0, g.seats - g.members - g.invited)} of ${g.seats} free` : "no limit"}</td>
                <td>
                  <Channels title={title} group={g} />
                </td>
                <td>
                  <Row gap={4} justify="flex-end">
                    <Button size="compact-xs" variant="default" onClick={() => setChanging(g)} aria-label={`Change … ${g.name}`}>
                      Change …
                    </Button>
                    <Button size="compact-xs" variant="default" onClick={() => setRemoving(g)} aria-label={`Remove … ${g.name}`}>
                      Remove …
                    </Button>
                  </Row>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Row p="sm">
        <Button size="compact-sm" variant="default" onClick={() => setChanging("new")}>
          Make a group …
        </Button>
      </Row>
      {changing && <Change title={title} group={changing === "new" ? undefined : changing} close={() => setChanging(undefined)} />}
      {removing && <Remove title={title} group={removing} close={() => setRemoving(undefined)} />}
    </>
  );
}

function Channels({ title, group }: { title: string; group: Group }) {
  if (group.channels.length === 0) return <span className="dim">nothing yet: a channel&apos;s page gives access</span>;
  return group.channels.map((c, i) => (
    <span key={c.channel}>
      {i > 0 && ", "}
      <Link to={`/titles/${title}/channels/${c.channel}`}>{c.channel}</Link>
      {c.until && (
        <span className="dim">
          {" "}
          {c.ended ? (
            "(ended)"
          ) : (
            <>
              until <Soon at={c.until} />
            </>
          )}
        </span>
      )}
    </span>
  ));
}

function Change({ title, group, close }: { title: string; group?: Group; close: () => void }) {
  const [name, setName] = useState(group?.name ?? "");
  const [seats, setSeats] = useState<number | string>(group?.seats || "");
  const change = useChange(title, () => {
    const body = { name, seats: Number(seats) || 0 };
    return group
      ? call(`/titles/${title}/groups/${group.name}`, { method: "PATCH", body })
      : call(`/titles/${title}/groups`, { method: "POST", body });
  });
  return (
    <Modal opened onClose={close} title={<b>{group ? `Change ${group.name}` : "Make a group"}</b>}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          change.mutate(undefined, { onSuccess: close });
        }}
      >
        <TextInput
          label="Name"
          description="Small letters, digits and hyphens, such as night-crew"
          required
          pattern="[a-z0-9][a-z0-9\-]{0,48}"
          value={name}
          onChange={(e) => setName(e.currentTarget.value)}
        />
        <NumberInput
          label="Seats"
          description="The most people in it, invited ones among them; empty for no limit"
          mt="sm"
          min={0}
          allowDecimal={false}
          value={seats}
          onChange={setSeats}
        />
        {change.error && <Failure error={change.error} />}
        <Row justify="flex-end" mt="md">
          <Button type="submit" variant="filled" loading={change.isPending}>
            {group ? `Change ${group.name}` : "Make it"}
          </Button>
        </Row>
      </form>
    </Modal>
  );
}

function Remove({ title, group, close }: { title: string; group: Group; close: () => void }) {
  const remove = useChange(title, () => call(`/titles/${title}/groups/${group.name}`, { method: "DELETE" }));
  return (
    <Confirm
      title={`Remove ${group.name}`}
      keep="Keep it"
      act={`Remove ${group.name}`}
      error={remove.error}
      pending={remove.isPending}
      confirm={() => remove.mutate(undefined, { onSuccess: close })}
      close={close}
    >
      {plural(group.members, "member loses", "members lose")} at once what they had by it alone
      {group.channels.length > 0 && <>: {group.channels.map((c) => c.channel).join(", ")}</>}.{" "}
      {plural(group.invited, "open invitation ends", "open invitations end")} with it.
    </Confirm>
  );
}
