import { Button, PasswordInput, Stack, Text, TextInput } from "@mantine/core";
import { type FormEvent, useState } from "react";

import { ApiError } from "../../app/http";
import { Failure } from "../../ui/parts";
import { OtherWays } from "./OtherWays";
import { useSignIn } from "./queries";

export function SignInPage() {
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const signIn = useSignIn();
  const [wanted, want] = useState(false);
  const send = (event: FormEvent) => {
    event.preventDefault();
    // Only who knows the password is told that a code is needed.
    signIn.mutate(
      { email, password, code },
      { onError: (e) => want(wanted || (e instanceof ApiError && !!e.problem.type?.endsWith("/sign-in.factor-needed"))) },
    );
  };
  return (
    <main style={{ minHeight: "100vh", display: "grid", placeItems: "center", padding: 16 }}>
      <div style={{ width: "100%", maxWidth: 380 }}>
        <Slope />
        <form onSubmit={send} className="panel" style={{ padding: 24 }}>
          <Stack gap="sm">
            <h1 style={{ margin: 0, fontSize: 24 }}>Rampa</h1>
            <Text size="sm" c="dimmed">
              From a title&apos;s folder to the player&apos;s device.
            </Text>
            <TextInput
              label="Address"
              type="email"
              autoComplete="username"
              required
              value={email}
              onChange={(e) => setEmail(e.currentTarget.value)}
              autoFocus
            />
            <PasswordInput
              label="Password"
              autoComplete="current-password"
              required
              value={password}
              onChange={(e) => setPassword(e.currentTarget.value)}
            />
            {wanted && (
              <TextInput
                label="Code of your second factor"
                description="What your app shows now, or a spare one"
                autoComplete="one-time-code"
                required
                autoFocus
                value={code}
                onChange={(e) => setCode(e.currentTarget.value)}
              />
            )}
            {signIn.error && !(wanted && !code) && <Failure error={signIn.error} />}
            <Button type="submit" variant="filled" loading={signIn.isPending} fullWidth>
              Sign in
            </Button>
            <OtherWays />
            <Text size="xs" c="dimmed">
              The first start printed an owner&apos;s address and password. Lost it? <code>bin/up --new-password</code> gives another. Were
              you given a code? <a href="/invitation">Choose your password</a>.
            </Text>
          </Stack>
        </form>
      </div>
    </main>
  );
}

/** Our mark, large: a lantern wagon on its way up. */
function Slope() {
  return (
    <svg viewBox="0 0 380 92" width="100%" aria-hidden style={{ display: "block" }}>
      <path d="M0 92 380 92 380 26z" fill="var(--r-tread)" />
      <path d="M0 92 380 26" stroke="var(--r-accent)" strokeWidth="3" />
      <g transform="translate(236 24) rotate(-9.9)">
        <rect x="0" y="0" width="44" height="20" rx="3" fill="var(--r-panel)" stroke="var(--r-accent)" strokeWidth="2" />
        <rect x="17" y="-13" width="10" height="13" rx="2" fill="#e8a33d" />
        <circle cx="11" cy="22" r="5" fill="var(--r-accent)" />
        <circle cx="33" cy="22" r="5" fill="var(--r-accent)" />
      </g>
    </svg>
  );
}
