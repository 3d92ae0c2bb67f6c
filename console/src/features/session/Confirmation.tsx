import { Button, Group, Modal, TextInput } from "@mantine/core";
import { type FormEvent, useEffect, useState } from "react";

import { type ApiError, askForCodes, call } from "../../app/http";
import { Failure } from "../../ui/parts";

/** Asks for a code of the second factor where an act wants one, then lets that act go on. */
export function Confirmation() {
  const [asked, ask] = useState<{ answer: (confirmed: boolean) => void }>();
  const [code, setCode] = useState("");
  const [error, setError] = useState<ApiError>();
  useEffect(() => askForCodes(() => new Promise((answer) => ask({ answer }))), []);
  const close = (confirmed: boolean) => {
    asked?.answer(confirmed);
    ask(undefined);
    setCode("");
    setError(undefined);
  };
  const send = (event: FormEvent) => {
    event.preventDefault();
    call<void>("/session/confirmation", { method: "POST", body: { code } })
      .then(() => close(true))
      .catch((failed: ApiError) => setError(failed));
  };
  return (
    <Modal opened={asked !== undefined} onClose={() => close(false)} title="This asks for your second factor">
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
        {error && <Failure error={error} />}
        <Group justify="flex-end" mt="sm">
          <Button type="submit" variant="filled">
            Go on
          </Button>
        </Group>
      </form>
    </Modal>
  );
}
