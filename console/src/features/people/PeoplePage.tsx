import { Button, Group, Modal, Select, Switch, TextInput } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { Answer, Failure, PageHead, Panel, When } from "../../ui/parts";
import { useWays } from "../session/queries";
import { useTitles } from "../titles/queries";
import { AtTitle } from "./AtTitle";

type Person = Schemas["Person"];
type Invitation = Schemas["Invitation"];

const MAY: Record<string, string> = {
  owner: "everything, and people",
  engineer: "titles, keys, builds, placing",
  tester: "installs what it was given to test",
  reviewer: "looks at what is before the studio's reviewers",
  viewer: "reads",
};
const ROLES = Object.keys(MAY);

/** Who is in the studio, and what may they do? */
export function PeoplePage() {
  const [testers, withTesters] = useState(false);
  const people = useQuery({
    queryKey: ["people", testers],
    queryFn: () => call<Schemas["Page_Person_"]>(`/people?testers=${testers}`),
  });
  const me = useQuery({ queryKey: ["session"], queryFn: () => call<Schemas["Session"]>("/session") });
  const [inviting, invite] = useState(false);
  const [code, show] = useState<Invitation>();
  const owner = me.data?.person.role === "owner";
  const { data: titles } = useTitles();
  const [place, go] = useSearchParams();
  const title = titles?.items.find((t) => t.slug === place.get("title"));
  return (
    <>
      <PageHead title="People" aside={owner && <Button onClick={() => invite(true)}>Invite a person …</Button>}>
        Who works here. Those who only test stand on the page of testers of each title.
      </PageHead>
      <Select
        size="xs"
        w={260}
        mb="sm"
        aria-label="Where"
        data={[{ value: "", label: "In the studio" }, ...(titles?.items.map((t) => ({ value: t.slug, label: `At ${t.name}` })) ?? [])]}
        value={title?.slug ?? ""}
        allowDeselect={false}
        onChange={(v) => go(v ? { title: v } : {})}
      />
      {title ? (
        <AtTitle title={title.slug} name={title.name} />
      ) : (
        <Panel
          title="Everybody of the studio"
          aside={
            <Switch size="xs" label="With those who only test" checked={testers} onChange={(e) => withTesters(e.currentTarget.checked)} />
          }
          flush
        >
          <Answer of={people} rows={4}>
            {({ items }) => (
              <table className="rows">
                <thead>
                  <tr>
                    <th>Name</th>
                    <th>Address</th>
                    <th>Role</th>
                    <th className="wide">May</th>
                    <th className="wide">Since</th>
                    {owner && <th>Change</th>}
                  </tr>
                </thead>
                <tbody>
                  {items.map((p) => (
                    <tr key={p.id}>
                      <td>
                        <b>{p.name}</b>
                      </td>
                      <td className="path">{p.email}</td>
                      <td>
                        {p.role}
                        {p.disabled && <span style={{ color: "var(--r-warning)" }}> · disabled</span>}
                        {p.invited && <span className="dim"> · invited</span>}
                        {p.by_provider && <span className="dim"> · by the studio's sign-in</span>}
                        {p.second_factor && <span className="dim"> · second factor</span>}
                      </td>
                      <td className="wide dim">{p.disabled ? "nothing: cannot sign in" : MAY[p.role]}</td>
                      <td className="wide tight">
                        <When at={p.created_at} />
                      </td>
                      {owner && (
                        <td>
                          <Change person={p} show={show} />
                        </td>
                      )}
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
          </Answer>
        </Panel>
      )}
      <Invite opened={inviting} close={() => invite(false)} show={show} />
      <Code code={code} close={() => show(undefined)} />
    </>
  );
}

/** A role, a reset, an end: each says first what it does. */
function Change({ person, show }: { person: Person; show: (code: Invitation) => void }) {
  const queries = useQueryClient();
  const [opened, open] = useState(false);
  const [role, choose] = useState<string>(person.role);
  const done = () => {
    open(false);
    return queries.invalidateQueries({ queryKey: ["people"] });
  };
  const change = useMutation({
    mutationFn: (body: Schemas["PersonChange"]) => call<Person>(`/people/${person.id}`, { method: "PATCH", body }),
    onSuccess: done,
  });
  const reset = useMutation({
    mutationFn: () => call<Invitation>(`/people/${person.id}/reset`, { method: "POST" }),
    onSuccess: (made) => {
      show(made);
      return done();
    },
  });
  const ways = useWays();
  const error = change.error ?? reset.error;
  return (
    <>
      <Button size="compact-xs" variant="default" onClick={() => open(true)}>
        Change …
      </Button>
      <Modal opened={opened} onClose={() => open(false)} title={`${person.name}, ${person.email}`}>
        {error && <Failure error={error} />}
        <Select label="Role" data={ROLES} value={role} onChange={(v) => v && choose(v)} allowDeselect={false} />
        <p className="dim">It holds at once, for sessions and tokens, too: {MAY[role]}.</p>
        <Group justify="flex-end">
          <Button
            disabled={role === person.role}
            loading={change.isPending}
            onClick={() => change.mutate({ role: role as Person["role"] })}
          >
            Give the role
          </Button>
        </Group>
        <p>
          {person.disabled
            ? "Enabled again, they sign in with the password that they had."
            : "Disabling ends their sessions and tokens at once, and keeps them out. Resetting ends those and their password, and gives a code for another."}
        </p>
        {ways.data?.provider && !person.by_provider && (
          <p>
            Handed over to {ways.data.provider}, they sign in by that alone, and its groups say their role: their password, sessions and
            tokens end.
          </p>
        )}
        <Group justify="flex-end">
          {ways.data?.provider && !person.by_provider && (
            <Button variant="default" loading={change.isPending} onClick={() => change.mutate({ by_provider: true })}>
              Hand over
            </Button>
          )}
          {!person.disabled && (
            <Button variant="default" loading={reset.isPending} onClick={() => reset.mutate()}>
              Reset the password
            </Button>
          )}
          <Button
            color={person.disabled ? undefined : "red"}
            loading={change.isPending}
            onClick={() => change.mutate({ disabled: !person.disabled })}
          >
            {person.disabled ? "Enable" : "Disable"}
          </Button>
        </Group>
      </Modal>
    </>
  );
}

function Invite({ opened, close, show }: { opened: boolean; close: () => void; show: (code: Invitation) => void }) {
  const queries = useQueryClient();
  const [email, setEmail] = useState("");
  const [name, setName] = useState("");
  const [role, choose] = useState("engineer");
  const invite = useMutation({
    mutationFn: () => call<Invitation>("/people/invitations", { method: "POST", body: { email, name, role } }),
    onSuccess: (made) => {
      close();
      show(made);
      return queries.invalidateQueries({ queryKey: ["people"] });
    },
  });
  return (
    <Modal opened={opened} onClose={close} title="Invite a person">
      <form
        onSubmit={(e) => {
          e.preventDefault();
          invite.mutate();
        }}
      >
        {invite.error && <Failure error={invite.error} />}
        <TextInput label="Name" required value={name} onChange={(e) => setName(e.currentTarget.value)} />
        <TextInput label="Address" type="email" required value={email} onChange={(e) => setEmail(e.currentTarget.value)} />
        <Select label="Role" data={ROLES} value={role} onChange={(v) => v && choose(v)} allowDeselect={false} />
        <p className="dim">May: {MAY[role]}.</p>
        <Group justify="flex-end">
          <Button type="submit" loading={invite.isPending}>
            Make the code
          </Button>
        </Group>
      </form>
    </Modal>
  );
}

function Code({ code, close }: { code: Invitation | undefined; close: () => void }) {
  return (
    <Modal opened={Boolean(code)} onClose={close} title="A code to choose a password">
      <p>
        Give this to <b>{code?.email}</b>. It works once, within three days, and is shown this once.
      </p>
      <p>
        <code className="mono">{code?.code}</code>
      </p>
      <p>
        They choose a password at <code className="mono">{`${window.location.origin}/invitation`}</code>.
      </p>
    </Modal>
  );
}
