import { Button, Group, Modal, NumberInput, TextInput } from "@mantine/core";
import { useState } from "react";

import { call } from "../../app/http";
import { Failure } from "../../ui/parts";
import { useOriginAct } from "./queries";

/** The address below which a delivery was written. */
export function AddOrigin({ title, close }: { title: string; close: () => void }) {
  const [name, setName] = useState("");
  const [address, setAddress] = useState("");
  const [priority, setPriority] = useState<number | string>(10);
  const add = useOriginAct(title, () =>
    call(`/titles/${title}/delivery/origins`, { method: "POST", body: { name, address, priority: Number(priority) } }),
  );
  return (
    <Modal opened onClose={close} title={<b>Add an origin</b>}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate(undefined, { onSuccess: close });
        }}
      >
        <TextInput
          label="Name"
          required
          pattern="[a-z0-9][a-z0-9\-]{0,48}"
          placeholder="quay"
          value={name}
          onChange={(e) => setName(e.currentTarget.value)}
        />
        <TextInput
          label="Address"
          description="What bin/rampa delivery write wrote lies below it"
          required
          type="url"
          mt="sm"
          placeholder="https://files.quillback.example/delivery"
          value={address}
          onChange={(e) => setAddress(e.currentTarget.value)}
        />
        <NumberInput
          label="Priority"
          description="The lowest is asked first, the service last"
          min={1}
          max={100}
          mt="sm"
          value={priority}
          onChange={setPriority}
        />
        {add.error && <Failure error={add.error} />}
        <Group justify="flex-end" mt="md">
          <Button type="submit" variant="filled" loading={add.isPending}>
            Add it
          </Button>
        </Group>
      </form>
    </Modal>
  );
}
