import { Button, Group, PasswordInput, TextInput } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";

import { call, type Schemas } from "../../app/http";
import { Failure } from "../../ui/parts";
import { QrCode } from "../../ui/QrCode";

/** Codes of an app that change every 30 seconds: added, asked for, removed. */
export function Codes({ session }: { session: Schemas["Session"] }) {
  return session.factors?.includes("codes") ? <Counts /> : <Add password={!session.person.by_provider} />;
}

function Counts() {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () => call<void>("/session/second-factor", { method: "DELETE" }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["session"] }),
  });
  return (
    <>
      <p style={{ marginTop: 0 }}>Signing in with your password asks for a code of your app.</p>
      {remove.error && <Failure error={remove.error} />}
      <Button variant="default" color="red" loading={remove.isPending} onClick={() => remove.mutate()}>
        Remove them …
      </Button>
    </>
  );
}

function Add({ password: asked }: { password: boolean }) {
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
        An app on your phone shows a code that changes every 30 seconds; signing in asks for it beside your password.
      </p>
      {asked && (
        <PasswordInput
          label="Your password"
          autoComplete="current-password"
          required
          value={password}
          onChange={(e) => setPassword(e.currentTarget.value)}
        />
      )}
      {begin.error && <Failure error={begin.error} />}
      <Group mt="sm">
        <Button type="submit" variant="filled" loading={begin.isPending}>
          Add codes
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
      <QrCode picture={made.picture} alt="The secret as a QR code" />
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
