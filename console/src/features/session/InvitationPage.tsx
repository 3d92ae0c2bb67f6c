import { Button, PasswordInput, Stack, Text, TextInput } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";

import { call, type Schemas } from "../../app/http";
import { Failure } from "../../ui/parts";
import { useSignIn } from "./queries";

/** Who was invited, or whose password was reset, chooses one; then they are signed in. */
export function InvitationPage() {
  const [email, setEmail] = useState("");
  const [code, setCode] = useState("");
  const [password, setPassword] = useState("");
  const go = useNavigate();
  const signIn = useSignIn();
  const accept = useMutation({
    mutationFn: async (body: Schemas["AcceptIn"]) => {
      await call<void>("/invitation", { method: "POST", body });
      await signIn.mutateAsync({ email, password, code: "" });
    },
    onSuccess: () => go("/"),
  });
  const send = (event: FormEvent) => {
    event.preventDefault();
    accept.mutate({ email, code, password });
  };
  return (
    <main style={{ minHeight: "100vh", display: "grid", placeItems: "center", padding: 16 }}>
      <form onSubmit={send} className="panel" style={{ padding: 24, width: "100%", maxWidth: 420 }}>
        <Stack gap="sm">
          <h1 style={{ margin: 0, fontSize: 24 }}>Choose your password</h1>
          <Text size="sm" c="dimmed">
            With the code that an owner of the studio gave you. It works once.
          </Text>
          <TextInput
            label="Address"
            type="email"
            autoComplete="username"
            required
            value={email}
            onChange={(e) => setEmail(e.currentTarget.value)}
          />
          <TextInput label="Code" required value={code} onChange={(e) => setCode(e.currentTarget.value)} autoComplete="off" />
          <PasswordInput
            label="New password"
            description="Ten characters at least"
            autoComplete="new-password"
            required
            minLength={10}
            value={password}
            onChange={(e) => setPassword(e.currentTarget.value)}
          />
          {accept.error && <Failure error={accept.error} />}
          <Button type="submit" variant="filled" loading={accept.isPending} fullWidth>
            Choose it and sign in
          </Button>
        </Stack>
      </form>
    </main>
  );
}
