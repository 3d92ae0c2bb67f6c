import { Button, MultiSelect, NumberInput, SegmentedControl, Select, TagsInput, TextInput } from "@mantine/core";
import { useEffect, useRef, useState } from "react";

import { ApiError, type Schemas } from "../../app/http";
import { SeverityMark, Spoken } from "../../ui/parts";
import type { Finding, Value } from "../profiles/queries";
import { Entries } from "./Entries";
import type { Edit } from "./queries";
import "./document.css";

type Own = Schemas["LayerOut"]["values"][string] | undefined;

interface Props {
  setting: Schemas["SettingOut"];
  path: string[];
  own: Own;
  change?: Schemas["ListChangeOut"];
  resolved: Value | null;
  allowed: string[];
  levels?: string;
  findings: Finding[];
  edit: (edits: Edit[]) => Promise<unknown>;
}

/** One setting of a layer. What the layer does not say itself, it inherits: that is shown, dimmed, with its origin. */
export function Field(props: Props) {
  const { setting, path, own, change, resolved, findings, edit, levels } = props;
  const [refused, setRefused] = useState("");
  const said = own !== undefined || change !== undefined;
  const set = (value: Edit["value"]) => {
    setRefused("");
    edit([{ path, value, says: "" }]).catch((error: unknown) =>
      setRefused(error instanceof ApiError ? `${error.message} ${error.hint}` : String(error)),
    );
  };
  const origin = resolved?.origin;
  return (
    <div className="field" id={`field ${setting.key}`}>
      <div>
        <div className="name">{setting.label}</div>
        <div className="help">
          <Spoken text={setting.help} />
          {levels && ` Here: ${levels}.`}
          {setting.platforms.length > 0 && ` For ${setting.platforms.join(", ")}.`}
        </div>
      </div>
      <div>
        <div style={{ display: "flex", gap: 8, alignItems: "flex-start" }}>
          <div style={{ flex: 1, minWidth: 0 }}>
            <Control {...props} set={set} />
          </div>
          {said && (
            <Button size="compact-xs" variant="subtle" mt={3} onClick={() => set(null)} aria-label={`Take out ${setting.label}`}>
              Take out
            </Button>
          )}
        </div>
        {(!said || change) && resolved && (
          <div className="under dim">
            {change ? "Makes" : "Now"} {resolved.text || "nothing"}, {origin?.line ? `line ${origin.line}, ${origin.layer}` : "the default"}
          </div>
        )}
        {refused && (
          <div className="under problem" role="alert">
            {refused}
          </div>
        )}
        {findings.map((f) => (
          <div className="under" key={f.name}>
            <SeverityMark severity={f.severity} /> {f.message}.{" "}
            {f.fix.length > 0 ? (
              <Button size="compact-xs" variant="default" onClick={() => void edit(f.fix)}>
                {f.fix.map((e) => e.says.replace(/^in \[[^\]]*\] /, "")).join("; ")}
              </Button>
            ) : (
              <span className="dim">{f.hint}</span>
            )}
          </div>
        ))}
      </div>
    </div>
  );
}

function Control({ setting, own, change, resolved, allowed, set }: Props & { set: (value: Edit["value"]) => void }) {
  const label = setting.label;
  if (setting.kind === "flag") {
    const value = own === true ? "yes" : own === false ? "no" : "";
    return (
      <SegmentedControl
        size="xs"
        aria-label={label}
        value={value}
        onChange={(v) => set(v === "" ? null : v === "yes")}
        data={[
          { value: "", label: "Inherit" },
          { value: "yes", label: "Yes" },
          { value: "no", label: "No" },
        ]}
      />
    );
  }
  if (setting.kind === "number") {
    return (
      <NumberInput
        size="xs"
        w={150}
        aria-label={label}
        min={setting.least}
        max={setting.most}
        allowDecimal={false}
        suffix={setting.unit ? ` ${setting.unit}` : undefined}
        placeholder={resolved?.text}
        value={typeof own === "number" ? own : ""}
        onChange={(v) => set(typeof v === "number" ? v : null)}
      />
    );
  }
  if (setting.kind === "table") return <Entries label={label} own={own as Record<string, string> | undefined} set={set} />;
  if (setting.kind === "texts") return <List {...{ setting, own, change, resolved, allowed, set }} />;
  if (setting.allowed.length) {
    return (
      <Select
        size="xs"
        w={240}
        aria-label={label}
        placeholder={resolved?.text || "not set"}
        value={typeof own === "string" ? own : null}
        onChange={(v) => set(v)}
        data={choices(setting, allowed)}
      />
    );
  }
  return (
    <Text
      label={label}
      own={typeof own === "string" ? own : ""}
      placeholder={resolved?.text || setting.example.replaceAll('"', "")}
      set={set}
    />
  );
}

/** Choices that this platform does not have stay in sight, and cannot be chosen. */
function choices(setting: Schemas["SettingOut"], allowed: string[]) {
  return setting.allowed.map((value) => ({
    value,
    label: allowed.includes(value) ? value : `${value} (not on this platform)`,
    disabled: !allowed.includes(value),
  }));
}

/** A text is edited as one types, a moment after the last key. */
function Text({ label, own, placeholder, set }: { label: string; own: string; placeholder: string; set: (value: Edit["value"]) => void }) {
  const [typed, setTyped] = useState(own);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const waiting = useRef(false);
  useEffect(() => {
    if (!waiting.current) setTyped(own);
  }, [own]);
  const send = (value: string) => {
    clearTimeout(timer.current);
    waiting.current = false;
    set(value === "" ? null : value);
  };
  const type = (value: string) => {
    setTyped(value);
    waiting.current = true;
    clearTimeout(timer.current);
    timer.current = setTimeout(() => send(value), 300);
  };
  // Whoever leaves the field, for the button that reviews or for another page, takes along what was typed.
  const leave = () => waiting.current && send(typed);
  return (
    <TextInput
      size="xs"
      aria-label={label}
      placeholder={placeholder}
      value={typed}
      onChange={(e) => type(e.currentTarget.value)}
      onBlur={leave}
    />
  );
}

type ListProps = Pick<Props, "setting" | "own" | "change" | "resolved" | "allowed"> & { set: (value: Edit["value"]) => void };

/** A list is replaced as a whole, or added to and taken from. */
function List({ setting, own, change, resolved, allowed, set }: ListProps) {
  const label = setting.label;
  const items = Array.isArray(own) ? own : [];
  const changes = change !== undefined;
  const inherited = Array.isArray(resolved?.value) ? resolved.value : [];
  const mode = (next: string) => set(next === "change" ? { add: [], take: [] } : ((resolved?.value as string[] | null) ?? []));
  const both = { add: change?.add ?? [], take: change?.take ?? [] };
  return (
    <div style={{ display: "grid", gap: 5 }}>
      <SegmentedControl
        size="xs"
        w={210}
        aria-label={`How ${label} changes`}
        value={changes ? "change" : "replace"}
        onChange={mode}
        data={[
          { value: "replace", label: "Replaces" },
          { value: "change", label: "Adds, takes" },
        ]}
      />
      {changes ? (
        <>
          <TagsInput
            size="xs"
            label="Adds"
            aria-label={`${label}: added`}
            placeholder={both.add.length ? "" : "nothing"}
            value={both.add}
            onChange={(add) => set({ ...both, add })}
            data={allowed}
          />
          <TagsInput
            size="xs"
            label="Takes away"
            aria-label={`${label}: taken away`}
            placeholder={both.take.length ? "" : "nothing"}
            value={both.take}
            onChange={(take) => set({ ...both, take })}
            data={[...new Set([...both.take, ...inherited])]}
          />
        </>
      ) : setting.allowed.length ? (
        <MultiSelect
          size="xs"
          aria-label={label}
          placeholder={items.length ? "" : resolved?.text || "not set"}
          value={items}
          onChange={set}
          data={choices(setting, [...allowed, ...items])}
        />
      ) : (
        <TagsInput
          size="xs"
          aria-label={label}
          placeholder={items.length ? "" : resolved?.text || "not set"}
          value={items}
          onChange={set}
          data={allowed}
        />
      )}
    </div>
  );
}
