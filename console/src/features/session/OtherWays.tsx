import { Button, Divider, Stack } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";
import { Failure } from "../../ui/parts";
import { assert, passkeysWork } from "./passkey";
import { useOpened, useWays } from "./queries";

export const WANTED = "rampa wanted";

/** Beside a password: a passkey where this address has them, the studio's own sign-in where there is one. */
export function OtherWays() {
  const { data: ways } = useWays();
  const opened = useOpened();
  const passkey = useMutation({
    mutationFn: async () => {
      const asked = await call<Schemas["Challenge"]>("/session/passkey/challenge", { method: "POST" });
      return call<Schemas["Session"]>("/session/passkey", { method: "POST", body: await assert(asked) });
    },
    onSuccess: opened,
  });
  const provider = useMutation({
    mutationFn: () => call<Schemas["ProviderBegin"]>("/session/provider", { method: "POST" }),
    onSuccess: ({ address }) => {
      // Back from there, the page that was asked for.
      sessionStorage.setItem(WANTED, window.location.pathname + window.location.search);
      window.location.assign(address);
    },
  });
  const here = ways?.passkeys_at === window.location.origin && passkeysWork();
  if (!here && !ways?.provider) return null;
  const error = passkey.error ?? provider.error;
  return (
    <Stack gap="xs">
      <Divider label="or" />
      {here && (
        <Button variant="default" fullWidth loading={passkey.isPending} onClick={() => passkey.mutate()}>
          Sign in with a passkey
        </Button>
      )}
      {ways?.provider && (
        <Button variant="default" fullWidth loading={provider.isPending} onClick={() => provider.mutate()}>
          Sign in with {ways.provider}
        </Button>
      )}
      {error && <Failure error={error} />}
    </Stack>
  );
}
