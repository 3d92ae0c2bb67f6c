import { Button, Group, Select, TextInput } from "@mantine/core";
import { useState } from "react";

import type { Schemas } from "../../app/http";
import { Failure } from "../../ui/parts";
import { useAddScreen } from "./queries";

type Form = Schemas["NewScreen"]["form"];
const FORMS: { value: Form; label: string }[] = [
  { value: "phone", label: "phone" },
  { value: "tablet", label: "tablet" },
  { value: "desktop", label: "desktop" },
  { value: "headset", label: "headset" },
];

/** A channel that a simulated device can follow. */
export interface Followed {
  title: string;
  channel: string;
  label: string;
}

/** One more, of a form and for a channel. It registers itself, as every device does. */
export function AddScreen({ choices }: { choices: Followed[] }) {
  const add = useAddScreen();
  const [name, setName] = useState("");
  const [form, setForm] = useState<Form>("phone");
  const [kind, setKind] = useState("");
  const [at, setAt] = useState("");
  const chosen = choices.find((c) => `${c.title}/${c.channel}` === at) ?? choices[0];
  if (!chosen) return null;
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        const { title, channel } = chosen;
        add.mutate({ title, channel, name, form, kind, platform: "linux" }, { onSuccess: () => setName("") });
      }}
    >
      <Group align="flex-end" gap="sm">
        <TextInput
          label="Name"
          required
          pattern="[a-z0-9][a-z0-9\-]{0,48}"
          placeholder="pocket"
          w={150}
          value={name}
          onChange={(e) => setName(e.currentTarget.value)}
        />
        <Select label="Form" data={FORMS} value={form} allowDeselect={false} w={120} onChange={(v) => v && setForm(v as Form)} />
        <TextInput
          label="Class"
          pattern="[a-z0-9][a-z0-9\-]{0,48}"
          placeholder={`${form}-1`}
          w={110}
          value={kind}
          onChange={(e) => setKind(e.currentTarget.value)}
        />
        <Select
          label="Follows"
          data={choices.map((c) => ({ value: `${c.title}/${c.channel}`, label: c.label }))}
          value={`${chosen.title}/${chosen.channel}`}
          allowDeselect={false}
          w={220}
          onChange={(v) => v && setAt(v)}
        />
        <Button type="submit" variant="filled" loading={add.isPending}>
          Add it
        </Button>
      </Group>
      <p className="dim" style={{ margin: "6px 0 0" }}>
        It installs builds for Linux, and starts them in a sandbox of this machine.
      </p>
      {add.error && <Failure error={add.error} />}
    </form>
  );
}
