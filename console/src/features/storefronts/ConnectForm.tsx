import { Button, SegmentedControl, TextInput } from "@mantine/core";
import { useState } from "react";

import { call, type Schemas } from "../../app/http";
import { Failure, Panel } from "../../ui/parts";
import { type Connecting, useAccountAct } from "./queries";

/** Connects another: the browser goes to the storefront, where a person lets Rampa in, and comes back. */
export function ConnectForm({ act }: { act: Schemas["Action"] | undefined }) {
  const [kind, setKind] = useState<"protocol" | "folder">("protocol");
  const [name, setName] = useState("");
  const [address, setAddress] = useState("");
  const [title, setTitle] = useState("");
  const connect = useAccountAct((body: Schemas["NewStorefront"]) => call<Connecting>("/storefronts", { method: "POST", body }));
  const folder = kind === "folder";
  const ready = /^[a-z0-9][a-z0-9-]*$/.test(name) && (folder ? title.trim() : /^https?:\/\/\S+$/.test(address));
  return (
    <Panel title="Connect another">
      <form
        style={{ display: "flex", gap: 12, alignItems: "end", flexWrap: "wrap" }}
        onSubmit={(e) => {
          e.preventDefault();
          connect.mutate(
            { name, kind, address: folder ? "" : address, title: folder ? title : "" },
            { onSuccess: (made) => made.open && window.location.assign(made.open) },
          );
        }}
      >
        <SegmentedControl
          size="xs"
          aria-label="How Rampa speaks to it"
          value={kind}
          onChange={(v) => setKind(v as typeof kind)}
          data={[
            { value: "protocol", label: "By the protocol" },
            { value: "folder", label: "By hand, over a folder" },
          ]}
        />
        <TextInput
          size="xs"
          w={150}
          label="Name here"
          placeholder="northquay"
          value={name}
          onChange={(e) => setName(e.currentTarget.value)}
        />
        {folder ? (
          <TextInput size="xs" w={220} label="What it is called" value={title} onChange={(e) => setTitle(e.currentTarget.value)} />
        ) : (
          <TextInput
            size="xs"
            w={280}
            label="Address"
            placeholder="https://"
            value={address}
            onChange={(e) => setAddress(e.currentTarget.value)}
          />
        )}
        <Button size="xs" variant="filled" type="submit" disabled={!ready || !act?.possible} loading={connect.isPending}>
          {folder ? "Connect it" : "Connect it …"}
        </Button>
        <span className="dim" style={{ fontSize: 12.5 }}>
          {act?.reason}
        </span>
      </form>
      {connect.error && <Failure error={connect.error} />}
    </Panel>
  );
}
