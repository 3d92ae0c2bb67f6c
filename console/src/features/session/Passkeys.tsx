import { Button, Group, PasswordInput, TextInput } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";

import { call, type Schemas } from "../../app/http";
import { Answer, Failure, When } from "../../ui/parts";
import { attest, passkeysWork } from "./passkey";
import { useWays } from "./queries";

const PATH = "/session/passkeys";

/** My passkeys: what there is, another, one less. */
export function Passkeys({ session }: { session: Schemas["Session"] }) {
  const passkeys = useQuery({ queryKey: ["passkeys"], queryFn: () => call<Schemas["Page_Passkey_"]>(PATH) });
  return (
    <>
      <p style={{ marginTop: 0, maxWidth: 640 }}>
        A passkey signs you in with your device and what unlocks it: a finger, a face, a PIN. There is nothing to type, and no other page
        can ask for it.
      </p>
      <Answer of={passkeys} rows={2}>
        {({ items }) => (items.length > 0 ? <List items={items} /> : null)}
      </Answer>
      <Add password={!session.person.by_provider} />
    </>
  );
}

function List({ items }: { items: Schemas["Passkey"][] }) {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: (id: string) => call<void>(`${PATH}/${id}`, { method: "DELETE" }),
    onSuccess: () => Promise.all(["session", "passkeys"].map((key) => queries.invalidateQueries({ queryKey: [key] }))),
  });
  return (
    <>
      {remove.error && <Failure error={remove.error} />}
      <table className="rows" style={{ maxWidth: 640, marginBottom: 16 }}>
        <thead>
          <tr>
            <th>Name</th>
            <th>Added</th>
            <th>Used</th>
            <th>Change</th>
          </tr>
        </thead>
        <tbody>
          {items.map((passkey) => (
            <tr key={passkey.id}>
              <td>
                <b>{passkey.name}</b>
              </td>
              <td className="tight">
                <When at={passkey.created_at} />
              </td>
              <td className="tight">{passkey.last_used_at ? <When at={passkey.last_used_at} /> : <span className="dim">never</span>}</td>
              <td>
                <Button
                  size="compact-xs"
                  variant="default"
                  color="red"
                  aria-label={`Remove ${passkey.name}`}
                  loading={remove.isPending && remove.variables === passkey.id}
                  onClick={() => remove.mutate(passkey.id)}
                >
                  Remove …
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Add({ password: asked }: { password: boolean }) {
  const queries = useQueryClient();
  const ways = useWays();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const add = useMutation({
    mutationFn: async () => {
      const challenge = await call<Schemas["Challenge"]>(`${PATH}/challenge`, { method: "POST", body: { password } });
      return call<Schemas["Passkey"]>(PATH, { method: "POST", body: { name, answer: await attest(challenge) } });
    },
    onSuccess: () => {
      setName("");
      setPassword("");
      return Promise.all(["session", "passkeys"].map((key) => queries.invalidateQueries({ queryKey: [key] })));
    },
  });
  const at = ways.data?.passkeys_at;
  if (!ways.data) return null;
  if (at !== window.location.origin || !passkeysWork()) return <Elsewhere at={at} />;
  const send = (event: FormEvent) => {
    event.preventDefault();
    add.mutate();
  };
  return (
    <form onSubmit={send} style={{ maxWidth: 560 }}>
      <TextInput
        label="Name"
        description="Which device it is on, as you would tell it from others"
        required
        maxLength={100}
        value={name}
        onChange={(e) => setName(e.currentTarget.value)}
      />
      {asked && (
        <PasswordInput
          label="Your password"
          autoComplete="current-password"
          required
          mt="xs"
          value={password}
          onChange={(e) => setPassword(e.currentTarget.value)}
        />
      )}
      {add.error && <Failure error={add.error} />}
      <Group mt="sm">
        <Button type="submit" variant="filled" loading={add.isPending}>
          Add a passkey
        </Button>
      </Group>
    </form>
  );
}

function Elsewhere({ at }: { at: string | undefined }) {
  if (at && at !== window.location.origin)
    return (
      <p className="dim">
        Browsers give passkeys to one address: add one at <a href={`${at}/account`}>{at}</a>.
      </p>
    );
  if (at) return <p className="dim">This browser does not make passkeys that Rampa can use. A newer one does.</p>;
  return (
    <p className="dim">
      Passkeys belong to one address, and this service was not told its own: the operator sets <code>RAMPA_ORIGIN</code>.
    </p>
  );
}
