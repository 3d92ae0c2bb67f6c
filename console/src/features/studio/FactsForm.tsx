import { Button, Textarea, TextInput } from "@mantine/core";
import { useState } from "react";

import { call } from "../../app/http";
import { Failure, Panel } from "../../ui/parts";
import { type Studio, useStudioAct } from "./queries";

/** Who the studio is, as a register of companies has it. */
export function FactsForm({ studio }: { studio: Studio }) {
  const [said, change] = useState(studio.facts);
  const say = useStudioAct(() => call<Studio>("/studio", { method: "PUT", body: said }));
  const may = studio.allowed_actions.find((a) => a.name === "say");
  const same = JSON.stringify(said) === JSON.stringify(studio.facts);
  const field = (name: keyof Studio["facts"]) => ({
    size: "xs" as const,
    value: said[name],
    readOnly: !may?.possible,
    onChange: (e: { currentTarget: { value: string } }) => change({ ...said, [name]: e.currentTarget.value }),
  });
  return (
    <Panel title="Who it is">
      <form
        style={{ display: "flex", gap: 12, alignItems: "end", flexWrap: "wrap" }}
        onSubmit={(e) => {
          e.preventDefault();
          say.mutate();
        }}
      >
        <TextInput w={240} label="Name by law" {...field("legal_name")} />
        <Textarea w={280} autosize label="Address" {...field("postal_address")} />
        <TextInput w={230} label="Mail address" {...field("contact")} />
        <TextInput w={160} label="Number in the register" {...field("register_number")} />
        {may?.possible && (
          <Button size="xs" variant="filled" type="submit" disabled={same} loading={say.isPending}>
            Save
          </Button>
        )}
      </form>
      {say.error && <Failure error={say.error} />}
    </Panel>
  );
}
