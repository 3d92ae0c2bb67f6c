import { Button, Group, PasswordInput, TextInput } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";

import { call, type Schemas } from "../../app/http";
import { Failure, PageHead, Panel } from "../../ui/parts";
import { useSession } from "./queries";

/** What signs me in? */
export function AccountPage() {
  const { data: session } = useSession();
  if (!session) return null;
  const { person } = session;
  return (
    <>
      <PageHead title={person.name} />
      <p className="dim">
        {person.email}, {person.role} of {session.studio}. Change your password with <code>rampa person password</code>.
      </p>
      <Panel title="Second factor">
        <div style={{ maxWidth: 560 }}>{person.second_factor ? <Counts /> : <Add />}</div>
      </Panel>
    </>
  );
}

function Counts() {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () => call<void>("/session/second-factor", { method: "DELETE" }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["session"] }),
  });
  return (
    <>
      <p style={{ marginTop: 0 }}>
        Signing in asks for a code of your app, and so does what matters: giving a signing identity out or handing it over, changing the
        master key, and who may do what.
      </p>
      {remove.error && <Failure error={remove.error} />}
      <Button variant="default" color="red" loading={remove.isPending} onClick={() => remove.mutate()}>
        Remove it …
      </Button>
    </>
  );
}

function Add() {
  const [password, setPassword] = useState("");
  const begin = useMutation({
    mutationFn: () => call<Schemas["NewFactor"]>("/session/second-factor", { method: "POST", body: { password } }),
  });
  const send = (event: FormEvent) => {
    event.preventDefault();
    begin.mutate();
  };
  if (begin.data) return <Scan made={begin.data} />;
  return (
    <form onSubmit={send}>
      <p style={{ marginTop: 0 }}>
        Your password alone signs you in. With a second factor, an app on your phone shows a code that changes every 30 seconds, and whoever
        learns your password stays out.
      </p>
      <PasswordInput
        label="Your password"
        autoComplete="current-password"
        required
        value={password}
        onChange={(e) => setPassword(e.currentTarget.value)}
      />
      {begin.error && <Failure error={begin.error} />}
      <Group mt="sm">
        <Button type="submit" variant="filled" loading={begin.isPending}>
          Add a second factor
        </Button>
      </Group>
    </form>
  );
}

function Scan({ made }: { made: Schemas["NewFactor"] }) {
  const queries = useQueryClient();
  const [code, setCode] = useState("");
  const finish = useMutation({
    mutationFn: () => call<Schemas["SpareCodes"]>("/session/second-factor", { method: "PUT", body: { code } }),
  });
  const send = (event: FormEvent) => {
    event.preventDefault();
    finish.mutate();
  };
  if (finish.data) return <Spare codes={finish.data.codes} done={() => void queries.invalidateQueries({ queryKey: ["session"] })} />;
  return (
    <form onSubmit={send}>
      <p style={{ marginTop: 0 }}>Scan this with an app that keeps such codes, or type the secret into it.</p>
      <img src={`data:image/svg+xml,${encodeURIComponent(made.picture)}`} alt="The secret as a QR code" width={220} height={220} />
      <p>
        <code style={{ overflowWrap: "anywhere" }}>{made.secret}</code>
      </p>
      <TextInput
        label="The code that it shows now"
        autoComplete="one-time-code"
        inputMode="numeric"
        required
        value={code}
        onChange={(e) => setCode(e.currentTarget.value)}
      />
      {finish.error && <Failure error={finish.error} />}
      <Group mt="sm">
        <Button type="submit" variant="filled" loading={finish.isPending}>
          Have it count
        </Button>
      </Group>
    </form>
  );
}

function Spare({ codes, done }: { codes: string[]; done: () => void }) {
  return (
    <>
      <p style={{ marginTop: 0 }}>
        It counts from now on. Keep these spare codes apart from the phone: each signs you in once without it. They are shown this once.
      </p>
      <ul className="mono">
        {codes.map((code) => (
          <li key={code}>{code}</li>
        ))}
      </ul>
      <Button variant="filled" onClick={done}>
        I have kept them
      </Button>
    </>
  );
}
