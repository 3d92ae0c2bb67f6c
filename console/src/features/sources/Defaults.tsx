import { Button, Group, MultiSelect, Select, TextInput } from "@mantine/core";
import { useState } from "react";

import type { Schemas } from "../../app/http";
import { Failure } from "../../ui/parts";
import { useChannels } from "../channels/queries";
import { useTitle } from "../titles/queries";
import { Matches } from "./Matches";
import { type Source, useDefaults, useStepVariables } from "./queries";

type Default = Schemas["BranchDefault"];

/** Which profiles and step variables branches have as their own. The first pattern that matches counts. */
export function Defaults({ title, source }: { title: string; source: Source }) {
  const [rows, setRows] = useState<Default[]>(source.defaults);
  const { data: found } = useTitle(title);
  const groups = useStepVariables();
  const channels = useChannels(title);
  const save = useDefaults(title);
  const put = (at: number, change: Partial<Default>) => setRows(rows.map((r, n) => (n === at ? { ...r, ...change } : r)));
  const changed = JSON.stringify(rows) !== JSON.stringify(source.defaults);
  return (
    <div style={{ padding: 14, display: "grid", gap: 12 }}>
      <div className="dim">The first pattern that matches a branch counts. * stands for any characters.</div>
      {rows.map((row, n) => (
        <Group key={n} align="flex-end" gap="sm">
          <TextInput
            label={n === 0 ? "Branches" : undefined}
            aria-label="Branches"
            size="xs"
            w={150}
            value={row.pattern}
            onChange={(e) => put(n, { pattern: e.currentTarget.value })}
          />
          <MultiSelect
            label={n === 0 ? "Profiles" : undefined}
            aria-label="Profiles"
            size="xs"
            style={{ flex: 1, minWidth: 200 }}
            data={found?.profiles.map((p) => p.name) ?? []}
            value={row.profiles}
            onChange={(profiles) => put(n, { profiles })}
          />
          <Select
            label={n === 0 ? "Step variables" : undefined}
            aria-label="Step variables"
            size="xs"
            w={170}
            clearable
            placeholder="the profile's"
            data={groups.data?.items.map((g) => g.name) ?? []}
            value={row.step_variables || null}
            onChange={(v) => put(n, { step_variables: v ?? "" })}
          />
          <Select
            label={n === 0 ? "Builds go to" : undefined}
            aria-label="Builds go to"
            size="xs"
            w={140}
            clearable
            placeholder="as the profile says"
            data={channels.data?.items.map((c) => c.name) ?? []}
            value={row.place || null}
            onChange={(v) => put(n, { place: v ?? "" })}
          />
          <Button size="compact-sm" variant="default" onClick={() => setRows(rows.filter((_, m) => m !== n))}>
            Take out
          </Button>
          <div style={{ width: "100%" }}>
            <Matches title={title} kind="branch" pattern={row.pattern} />
          </div>
        </Group>
      ))}
      {save.error && <Failure error={save.error} />}
      <Group>
        <Button
          size="compact-md"
          variant="default"
          onClick={() => setRows([...rows, { pattern: rows.length ? "feature/*" : "*", profiles: [], step_variables: "", place: "" }])}
        >
          Add a pattern
        </Button>
        <Button size="compact-md" disabled={!changed} loading={save.isPending} onClick={() => save.mutate(rows)}>
          Save the defaults
        </Button>
      </Group>
    </div>
  );
}
