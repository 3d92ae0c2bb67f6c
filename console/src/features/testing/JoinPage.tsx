import { Button, PasswordInput, Stack, TextInput } from "@mantine/core";
import { useMutation, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";

import { call, type Schemas } from "../../app/http";
import { Answer, Failure, Soon } from "../../ui/parts";
import { useSignIn } from "../session/queries";
import "./testing.css";

type Look = Schemas["JoinLook"];

/** Who invites me to what, and do I accept? The code stands behind the #, where no server and no log sees it. */
export function JoinPage() {
  const { hash } = useLocation();
  const code = hash.slice(1);
  const look = useQuery({
    queryKey: ["join", code],
    queryFn: () => call<Look>("/join/look", { method: "POST", body: { code } }),
    enabled: code !== "",
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  return (
    <main className="alone">
      <div className="panel" style={{ padding: 20 }}>
        <h1 style={{ margin: 0, fontSize: 22 }}>An invitation to test</h1>
        {code ? (
          <Answer of={look} rows={4}>
            {(found) => <Invited found={found} code={code} />}
          </Answer>
        ) : (
          <p>The link is not whole. Open it from the letter again: it ends with a long code.</p>
        )}
      </div>
    </main>
  );
}

function Invited({ found, code }: { found: Look; code: string }) {
  const decline = useMutation({ mutationFn: () => call<void>("/join/decline", { method: "POST", body: { code } }) });
  if (decline.isSuccess) return <p>You declined. Nothing more happens; the studio was told.</p>;
  return (
    <>
      <p>
        {found.invited_by} of <b>{found.studio}</b> invites <b>{found.email}</b> to test <b>{found.title}</b>.
      </p>
      <p className="dim">
        The link is good until <Soon at={found.expires_at} />.
      </p>
      <Accept found={found} code={code} />
      {decline.error && <Failure error={decline.error} />}
      <Button variant="subtle" color="gray" fullWidth mt="xs" loading={decline.isPending} onClick={() => decline.mutate()}>
        Decline
      </Button>
    </>
  );
}

function Accept({ found, code }: { found: Look; code: string }) {
  const [name, setName] = useState(found.name);
  const [password, setPassword] = useState("");
  const go = useNavigate();
  const signIn = useSignIn();
  const accept = useMutation({
    mutationFn: async () => {
      const body = found.known ? { code } : { code, name, password };
      await call<Look>("/join", { method: "POST", body });
      if (!found.known) await signIn.mutateAsync({ email: found.email, password, code: "" });
    },
    onSuccess: () => go("/testing"),
  });
  const send = (event: FormEvent) => {
    event.preventDefault();
    accept.mutate();
  };
  return (
    <form onSubmit={send}>
      <Stack gap="sm">
        {found.known ? (
          <p style={{ margin: 0 }}>You have an account here: accept, then sign in as usual.</p>
        ) : (
          <>
            <input type="hidden" name="username" autoComplete="username" value={found.email} readOnly />
            <TextInput label="Your name" required maxLength={100} value={name} onChange={(e) => setName(e.currentTarget.value)} />
            <PasswordInput
              label="Choose a password"
              description="Ten characters at least"
              autoComplete="new-password"
              required
              minLength={10}
              value={password}
              onChange={(e) => setPassword(e.currentTarget.value)}
            />
          </>
        )}
        {accept.error && <Failure error={accept.error} />}
        {accept.error && (
          <p style={{ margin: 0 }}>
            If you accepted before, <Link to="/testing">sign in</Link>.
          </p>
        )}
        <Button type="submit" variant="filled" size="md" fullWidth loading={accept.isPending}>
          Accept
        </Button>
      </Stack>
    </form>
  );
}
