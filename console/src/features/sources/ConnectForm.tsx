import { Button, Checkbox, Group, NumberInput, PasswordInput, SegmentedControl, Textarea, TextInput } from "@mantine/core";
import { useState } from "react";

import { Command, Failure, Panel } from "../../ui/parts";
import { type Source, useConnect } from "./queries";

/** Connects a repository, or changes how it is reached. Credentials are sealed and never shown again. */
export function ConnectForm({ title, known, done }: { title: string; known?: Source; done?: () => void }) {
  const [address, setAddress] = useState(known?.address ?? "");
  const [way, setWay] = useState(known?.credential || "none");
  const [user, setUser] = useState(known?.user ?? "");
  const [secret, setSecret] = useState("");
  const [submodules, setSubmodules] = useState(known?.submodules ?? false);
  const [every, setEvery] = useState<number | string>(known?.every ?? 60);
  const connect = useConnect(title);
  const send = () =>
    connect.mutate(
      {
        address,
        user: way === "password" ? user : "",
        password: way === "password" ? secret : "",
        key: way === "key" ? secret : "",
        submodules,
        every: Number(every) || 0,
      },
      { onSuccess: () => done?.() },
    );
  return (
    <Panel title="Repository">
      <form
        style={{ display: "grid", gap: 14, maxWidth: 620 }}
        onSubmit={(e) => {
          e.preventDefault();
          send();
        }}
      >
        <TextInput
          required
          label="Address"
          description="Whatever git takes: https://…, ssh://…, name@host:path, or a path on the service's machine."
          value={address}
          onChange={(e) => setAddress(e.currentTarget.value)}
        />
        <div>
          <div style={{ fontSize: 13.5, fontWeight: 500, marginBottom: 4 }}>Credential</div>
          <SegmentedControl
            size="xs"
            value={way}
            onChange={setWay}
            data={[
              { value: "none", label: "None" },
              { value: "password", label: "Password or token" },
              { value: "key", label: "SSH key" },
            ]}
          />
        </div>
        {way === "password" && (
          <Group grow>
            <TextInput label="User" value={user} onChange={(e) => setUser(e.currentTarget.value)} />
            <PasswordInput required label="Password or token" value={secret} onChange={(e) => setSecret(e.currentTarget.value)} />
          </Group>
        )}
        {way === "key" && (
          <Textarea required label="Private key" autosize minRows={4} value={secret} onChange={(e) => setSecret(e.currentTarget.value)} />
        )}
        <NumberInput
          label="Look at it every"
          suffix=" s"
          min={0}
          max={86400}
          description="0: only when asked, or called."
          value={every}
          onChange={setEvery}
          w={200}
        />
        <Checkbox
          size="xs"
          label="Builds check out submodules, too"
          checked={submodules}
          onChange={(e) => setSubmodules(e.currentTarget.checked)}
        />
        {connect.error && <Failure error={connect.error} />}
        <Group>
          <Button type="submit" loading={connect.isPending} disabled={!address}>
            {known ? "Save and fetch" : "Connect and fetch"}
          </Button>
          {done && (
            <Button variant="default" onClick={done}>
              Leave as it is
            </Button>
          )}
        </Group>
        {!known && (
          <div className="dim" style={{ fontSize: 13 }}>
            Or upload a folder, without a repository: <Command text={`bin/rampa source upload FOLDER --title ${title}`} />
          </div>
        )}
      </form>
    </Panel>
  );
}
