import { Select } from "@mantine/core";
import { useEffect, useRef } from "react";
import { useSearchParams } from "react-router";

import type { Schemas } from "../../app/http";
import { type Row, useSettings } from "../profiles/queries";
import { Field } from "./Field";
import type { Edit, Layer, Read } from "./queries";
import "./document.css";

interface Props {
  read: Read;
  edit: (edits: Edit[]) => Promise<unknown>;
}

/** One layer of the document (its own tables, a facet, a profile) as fields that know types, limits and platform rules. */
export function Form({ read, edit }: Props) {
  const settings = useSettings();
  const [search, setSearch] = useSearchParams();
  const focus = useRef(search.get("key"));
  const layers = read.layers;
  const layer = layers.find((l) => l.name === search.get("layer")) ?? layers.find((l) => l.path[0] === "profiles") ?? layers[0];
  const groups = settings.data?.groups.filter((g) => layer?.path.length || g.name !== "profile") ?? [];
  const asked = search.get("key");
  const group =
    groups.find((g) => g.name === (asked?.includes(".") ? asked.split(".")[0] : asked && "profile")) ??
    groups.find((g) => g.name === search.get("group")) ??
    groups[0];
  useEffect(() => {
    if (!focus.current) return;
    const key = focus.current;
    focus.current = null;
    document.getElementById(`field ${key}`)?.scrollIntoView({ block: "center" });
  });
  if (!layer || !settings.data || !group) return null;
  const set = (values: Record<string, string>) =>
    setSearch(
      (now) => {
        now.delete("key");
        for (const [k, v] of Object.entries(values)) now.set(k, v);
        return now;
      },
      { replace: true },
    );
  const own = (key: string) => key in layer.values || key in layer.changes;
  const shown = settings.data.settings.filter((s) => s.group === group.name);
  return (
    <div>
      <div
        style={{
          padding: "10px 14px",
          display: "flex",
          gap: 14,
          alignItems: "end",
          flexWrap: "wrap",
          borderBottom: "1px solid var(--r-line)",
        }}
      >
        <Select
          size="xs"
          w={260}
          label="What to edit"
          allowDeselect={false}
          value={layer.name}
          onChange={(v) => v && set({ layer: v })}
          data={[
            { group: "Profiles", items: named(layers, "profiles") },
            { group: "Facets", items: named(layers, "facets") },
            { group: "For all profiles", items: [{ value: "document", label: "the document's own tables" }] },
          ].filter((g) => g.items.length)}
        />
        {layer.path.length > 0 && <Facets layer={layer} read={read} edit={edit} />}
      </div>
      <div className="form-groups" role="group" aria-label="Groups of settings">
        {groups.map((g) => {
          const count = settings.data.settings.filter((s) => s.group === g.name && own(s.key)).length;
          return (
            <button key={g.name} type="button" aria-pressed={g.name === group.name} onClick={() => set({ group: g.name })}>
              {g.label} {count > 0 && <span className="dim">{count}</span>}
            </button>
          );
        })}
      </div>
      <div className="scroll" style={{ maxHeight: "calc(100vh - 330px)" }}>
        {shown.map((s) => (
          <Field key={`${layer.name} ${s.key}`} {...fieldOf(s, layer, read, settings.data)} edit={edit} />
        ))}
      </div>
    </div>
  );
}

function named(layers: Layer[], section: string) {
  return layers.filter((l) => l.path[0] === section).map((l) => ({ value: l.name, label: l.name }));
}

function Facets({ layer, read, edit }: { layer: Layer; read: Read; edit: Props["edit"] }) {
  const facets = (read.matrix?.facets ?? []).filter((f) => `facet ${f}` !== layer.name && !layer.facets.includes(f));
  const set = (names: string[]) => void edit([{ path: [...layer.path, "facets"], value: names, says: "" }]);
  return (
    <div style={{ fontSize: 12.5 }}>
      <div style={{ marginBottom: 4 }}>Facets, later wins</div>
      <div style={{ display: "flex", gap: 6, alignItems: "center", flexWrap: "wrap" }}>
        {layer.facets.map((name) => (
          <span key={name} style={{ border: "1px solid var(--r-line)", borderRadius: 4, padding: "1px 4px 1px 8px" }}>
            {name}{" "}
            <button
              type="button"
              aria-label={`Take out facet ${name}`}
              onClick={() => set(layer.facets.filter((u) => u !== name))}
              style={{ all: "unset", cursor: "pointer", padding: "0 4px" }}
            >
              ×
            </button>
          </span>
        ))}
        {facets.length > 0 && (
          <Select
            size="xs"
            w={130}
            aria-label="Add a facet"
            placeholder="Add a facet"
            value={null}
            onChange={(v) => v && set([...layer.facets, v])}
            data={facets}
          />
        )}
      </div>
    </div>
  );
}

/** What a field shows: the layer's own value, what it would inherit, what the platform allows, what is wrong. */
function fieldOf(setting: Schemas["SettingOut"], layer: Layer, read: Read, all: Schemas["SettingsOut"]) {
  const profile = layer.path[0] === "profiles" ? layer.path[1] : undefined;
  const column = read.matrix?.columns.findIndex((c) => c.name === profile) ?? -1;
  const row: Row | undefined = read.matrix?.rows.find((r) => r.key === setting.key);
  const resolved = column >= 0 ? (row?.cells[column] ?? null) : null;
  const platform = all.platforms.find((p) => p.name === read.matrix?.columns[column]?.platform);
  const own = layer.values[setting.key];
  return {
    setting,
    path: [...layer.path, ...setting.key.split(".")],
    own: own === null ? undefined : own,
    change: layer.changes[setting.key],
    resolved,
    allowed: platform?.allowed[setting.key] ?? setting.allowed,
    levels: setting.unit === "level" ? platform?.levels : undefined,
    findings: (read.matrix?.findings ?? []).filter((f) => f.profile === profile && f.key === setting.key),
    disabled: !setting.everywhere && !layer.path.length,
  };
}
