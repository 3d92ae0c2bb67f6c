import { Button, Group, TextInput } from "@mantine/core";
import { useMutation, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useSearchParams } from "react-router";

import { call, type Schemas } from "../../app/http";
import { Answer, Failure, PageHead, Panel, When } from "../../ui/parts";

/** Which machine asks to act as me, and do I let it? */
export function AllowPage() {
  const [said, say] = useSearchParams();
  const code = said.get("code") ?? "";
  return (
    <>
      <PageHead title="Let a machine sign in as you" />
      <div style={{ maxWidth: 560 }}>{code ? <Waiting code={code} /> : <Ask answer={(typed) => say({ code: typed })} />}</div>
    </>
  );
}

function Ask({ answer }: { answer: (code: string) => void }) {
  const [code, setCode] = useState("");
  const send = (event: FormEvent) => {
    event.preventDefault();
    answer(code.trim());
  };
  return (
    <form onSubmit={send}>
      <TextInput
        label="Code"
        description="What rampa sign-in --browser shows"
        required
        autoFocus
        autoComplete="off"
        value={code}
        onChange={(e) => setCode(e.currentTarget.value)}
      />
      <Group mt="sm">
        <Button type="submit" variant="filled">
          Look at it
        </Button>
      </Group>
    </form>
  );
}

function Waiting({ code }: { code: string }) {
  const path = `/session/requests/${encodeURIComponent(code)}`;
  const machine = useQuery({ queryKey: ["waiting machine", code], queryFn: () => call<Schemas["WaitingMachine"]>(path), retry: false });
  const decide = useMutation({ mutationFn: (allow: boolean) => call<void>(path, { method: "POST", body: { allow } }) });
  if (decide.isSuccess)
    return (
      <Panel title={decide.variables ? "It is let in" : "It is refused"}>
        <p style={{ margin: 0 }}>
          {decide.variables ? "The machine goes on by itself within seconds. You can close this page." : "The machine was told no."}
        </p>
      </Panel>
    );
  return (
    <Answer of={machine} rows={3}>
      {({ name, address, asked_at }) => (
        <Panel title={name}>
          <p style={{ marginTop: 0 }}>
            It asked <When at={asked_at} /> from <span className="mono">{address || "an address that is not known"}</span>, with the code{" "}
            <b className="mono">{code.toUpperCase()}</b>.
          </p>
          <p>
            Allow it only if you have just typed <code>rampa sign-in --browser</code> there yourself: it may do all that you may, until you
            revoke its token. If somebody sent you this code, they want to act as you.
          </p>
          {decide.error && <Failure error={decide.error} />}
          <Group>
            <Button variant="filled" loading={decide.isPending && decide.variables} onClick={() => decide.mutate(true)}>
              Let it in
            </Button>
            <Button variant="default" loading={decide.isPending && !decide.variables} onClick={() => decide.mutate(false)}>
              Refuse
            </Button>
          </Group>
        </Panel>
      )}
    </Answer>
  );
}
