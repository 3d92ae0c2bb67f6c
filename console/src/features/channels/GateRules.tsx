import { Button, Checkbox, Group, Modal, NumberInput, Select } from "@mantine/core";
import { type FormEvent, useState } from "react";

import type { Schemas } from "../../app/http";
import { bytes, plural } from "../../ui/format";
import { Failure } from "../../ui/parts";
import { type Channel, useChannels, useSetGates } from "./queries";

type Rule = Schemas["GateIn"];

/** A rule as the channel's page says it. */
export function ruleSaid(rule: Rule): string {
  switch (rule.kind) {
    case "clean-checks":
      return "checks find nothing above a note";
    case "bound-signature":
      return "signed by the identity that its storefront knows";
    case "stood-on":
      return rule.hours ? `live on ${rule.channel} for ${plural(rule.hours, "hour")}` : `was live on ${rule.channel}`;
    case "approvals":
      return `approved by ${rule.count} other ${rule.count === 1 ? "person" : "people"}`;
    case "update-cost":
      return `the median device downloads at most ${bytes(rule.size ?? 0)}`;
    case "size-budgets":
      return "no depot and no folder is heavier than its budget";
    case "play-sign-offs":
      return `signed off in play by ${plural(rule.count ?? 0, "tester")}`;
    case "studio-review":
      return "passed by the studio's own reviewers";
  }
}

/** What must be true of a build before it stands here? */
export function GateRules({ title, channel }: { title: string; channel: Channel }) {
  const [setting, set] = useState(false);
  const act = channel.allowed_actions.find((a) => a.name === "set gates");
  return (
    <div style={{ padding: 14 }}>
      {channel.gates.length === 0 ? (
        <p className="dim" style={{ marginTop: 0 }}>
          No gates: whatever the checks let through can be placed.
        </p>
      ) : (
        <ul style={{ marginTop: 0 }}>
          {channel.gates.map((rule) => (
            <li key={`${rule.kind} ${rule.channel}`}>{ruleSaid(rule)}</li>
          ))}
        </ul>
      )}
      <Button size="compact-md" variant="default" disabled={!act?.possible} title={act?.reason} onClick={() => set(true)}>
        Set gates …
      </Button>
      {setting && <SetGates title={title} channel={channel} close={() => set(false)} />}
    </div>
  );
}

function SetGates({ title, channel, close }: { title: string; channel: Channel; close: () => void }) {
  const { data } = useChannels(title);
  const set = useSetGates(title, channel.name);
  const rule = (kind: Rule["kind"]) => channel.gates.find((g) => g.kind === kind);
  const [clean, setClean] = useState(!!rule("clean-checks"));
  const [light, setLight] = useState(!!rule("size-budgets"));
  const [bound, setBound] = useState(!!rule("bound-signature"));
  const [before, setBefore] = useState<string | null>(rule("stood-on")?.channel ?? null);
  const [hours, setHours] = useState(rule("stood-on")?.hours ?? 24);
  const [approvals, setApprovals] = useState(rule("approvals")?.count ?? 0);
  const [megabytes, setMegabytes] = useState((rule("update-cost")?.size ?? 0) / 1e6);
  const [signOffs, setSignOffs] = useState(rule("play-sign-offs")?.count ?? 0);
  const [review, setReview] = useState(!!rule("studio-review"));
  // A second stand is set by the command line, and kept here.
  const others = channel.gates.filter((g) => g.kind === "stood-on").slice(1);
  const send = (event: FormEvent) => {
    event.preventDefault();
    const gates: Rule[] = [
      ...(clean ? [{ kind: "clean-checks" } as Rule] : []),
      ...(bound ? [{ kind: "bound-signature" } as Rule] : []),
      ...(before ? [{ kind: "stood-on", channel: before, hours } as Rule] : []),
      ...others.filter((g) => g.channel !== before),
      ...(approvals ? [{ kind: "approvals", count: approvals } as Rule] : []),
      ...(megabytes ? [{ kind: "update-cost", size: Math.round(megabytes * 1e6) } as Rule] : []),
      ...(light ? [{ kind: "size-budgets" } as Rule] : []),
      ...(review ? [{ kind: "studio-review" } as Rule] : []),
      ...(signOffs ? [{ kind: "play-sign-offs", count: signOffs } as Rule] : []),
    ];
    set.mutate(gates, { onSuccess: close });
  };
  const names = (data?.items ?? []).map((c) => c.name).filter((name) => name !== channel.name);
  return (
    <Modal opened onClose={close} title={`Gates of ${channel.name}`}>
      <form onSubmit={send} style={{ display: "grid", gap: 10 }}>
        {set.error && <Failure error={set.error} />}
        <Checkbox label="Checks find nothing above a note" checked={clean} onChange={(e) => setClean(e.currentTarget.checked)} />
        <Checkbox
          label="Signed by the identity that its storefront knows"
          checked={bound}
          onChange={(e) => setBound(e.currentTarget.checked)}
        />
        <Checkbox
          label="No depot and no folder is heavier than its budget"
          checked={light}
          onChange={(e) => setLight(e.currentTarget.checked)}
        />
        <Checkbox label="Passed by the studio's own reviewers" checked={review} onChange={(e) => setReview(e.currentTarget.checked)} />
        <Group grow align="end">
          <Select label="Was live before on" placeholder="no other" clearable data={names} value={before} onChange={setBefore} />
          <NumberInput label="For hours" min={0} max={2160} value={hours} onChange={(v) => setHours(Number(v))} disabled={!before} />
        </Group>
        <NumberInput
          label="Other people who approve it"
          description="0 is none"
          min={0}
          max={20}
          value={approvals}
          onChange={(v) => setApprovals(Number(v))}
        />
        <NumberInput
          label="Megabytes that the median device downloads at most"
          description="0 is any number"
          min={0}
          value={megabytes}
          onChange={(v) => setMegabytes(Number(v))}
        />
        <NumberInput
          label="Testers who sign it off in play"
          description="0 is none; not part of this version yet: an owner waives it"
          min={0}
          max={20}
          value={signOffs}
          onChange={(v) => setSignOffs(Number(v))}
        />
        <Group justify="flex-end">
          <Button type="submit" variant="filled" loading={set.isPending}>
            Set them
          </Button>
        </Group>
      </form>
    </Modal>
  );
}
