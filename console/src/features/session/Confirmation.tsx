import { Button, Divider, Group, Modal, TextInput } from "@mantine/core";
import { type FormEvent, useEffect, useState } from "react";

import { askForCodes, call } from "../../app/http";
import { Failure } from "../../ui/parts";
import { confirmWithPasskey } from "./passkey";
import { useSession } from "./queries";

/** Asks for the second factor where an act wants it, then lets that act go on. */
export function Confirmation() {
  const { data: session } = useSession();
  const [asked, ask] = useState<{ answer: (confirmed: boolean) => void }>();
  const [code, setCode] = useState("");
  const [error, setError] = useState<Error>();
  useEffect(() => askForCodes(() => new Promise((answer) => ask({ answer }))), []);
  const close = (confirmed: boolean) => {
    asked?.answer(confirmed);
    ask(undefined);
    setCode("");
    setError(undefined);
  };
  const confirm = (by: Promise<void>) => by.then(() => close(true)).catch((failed: Error) => setError(failed));
  const send = (event: FormEvent) => {
    event.preventDefault();
    void confirm(call<void>("/session/confirmation", { method: "POST", body: { code } }));
  };
  const kinds = session?.factors ?? [];
  const codes = kinds.includes("codes");
  const passkey = kinds.includes("passkey");
  return (
    <Modal opened={asked !== undefined} onClose={() => close(false)} title="This asks for your second factor">
      {passkey && (
        <>
          <p className="dim" style={{ marginTop: 0 }}>
            Unlock your passkey when your device asks. It is not asked for again for five minutes.
          </p>
          <Button fullWidth variant="filled" data-autofocus={codes ? undefined : true} onClick={() => void confirm(confirmWithPasskey())}>
            Use a passkey
          </Button>
        </>
      )}
      {passkey && codes && <Divider label="or" my="sm" />}
      {codes && (
        <form onSubmit={send}>
          <TextInput
            label="Code"
            description="What your app shows now, or a spare one. It is not asked for again for five minutes."
            autoComplete="one-time-code"
            required
            data-autofocus
            value={code}
            onChange={(e) => setCode(e.currentTarget.value)}
          />
          <Group justify="flex-end" mt="sm">
            <Button type="submit" variant={passkey ? "default" : "filled"}>
              Go on
            </Button>
          </Group>
        </form>
      )}
      {error && <Failure error={error} />}
    </Modal>
  );
}
