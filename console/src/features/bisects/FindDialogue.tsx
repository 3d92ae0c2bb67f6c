import { Autocomplete, Button, Group, Modal, NumberInput, Select, TextInput } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { useState } from "react";
import { useNavigate } from "react-router";

import { duration, plural } from "../../ui/format";
import { Failure } from "../../ui/parts";
import { useBuilds } from "../builds/queries";
import { useTitle } from "../titles/queries";
import { type NewBisect, useBisectPlan, useStartBisect } from "./queries";

const BY = [
  { value: "self-test", label: "The self-test fails" },
  { value: "crash", label: "The self-test crashes at a place" },
  { value: "size", label: "A file or folder grew" },
  { value: "update-cost", label: "The update from the good build costs more" },
  { value: "step-time", label: "A step takes longer" },
];
const SUBJECT: Record<string, string> = { crash: "Crash group", size: "Path", "step-time": "Step" };
const UNIT: Record<string, [string, number]> = { size: ["MB", 1e6], "update-cost": ["MB", 1e6], "step-time": ["s", 1] };

type Form = { by: NewBisect["by"]; subject: string; good: string; bad: string };

/** What is looked for, between which builds, and what that takes; then it starts. */
export function FindDialogue({ title, from, about, close }: { title: string; from: Form; about?: string; close: () => void }) {
  const [form, setForm] = useState({ ...from, profile: null as string | null, limit: "" as number | string });
  const [key] = useState(() => crypto.randomUUID());
  const set = (part: Partial<typeof form>) => setForm((now) => ({ ...now, ...part }));
  const asked = askedOf(form);
  const [settled] = useDebouncedValue(asked, 400);
  const plan = useBisectPlan(title, settled);
  const start = useStartBisect(title);
  const go = useNavigate();
  const send = () => start.mutate({ asked, key }, { onSuccess: (made) => void go(`/titles/${title}/bisects/${made.number}`) });
  return (
    <Modal opened onClose={close} size={640} title={<b>Find the commit{about && ` of ${about}`}</b>}>
      <div style={{ display: "grid", gap: 12 }}>
        {!about && <What form={form} set={set} />}
        <Ends title={title} form={form} set={set} />
        <Planned plan={plan} ready={Boolean(asked.good && asked.bad)} />
        {start.error && <Failure error={start.error} retry={send} />}
      </div>
      <Group justify="flex-end" gap="sm" mt="md">
        <Button variant="default" onClick={close}>
          Find nothing
        </Button>
        <Button disabled={!plan.data || JSON.stringify(settled) !== JSON.stringify(asked)} loading={start.isPending} onClick={send}>
          Find the commit
        </Button>
      </Group>
    </Modal>
  );
}

interface Filled extends Form {
  profile: string | null;
  limit: number | string;
}

type Part = { form: Filled; set: (part: Partial<Filled>) => void };

function askedOf(form: Filled): NewBisect {
  const scale = UNIT[form.by]?.[1] ?? 1;
  return {
    by: form.by,
    subject: form.subject,
    good: endOf(form.good),
    bad: endOf(form.bad),
    profile: form.profile,
    limit: form.limit === "" || !UNIT[form.by] ? null : Number(form.limit) * scale,
    form: "",
  };
}

/** A build is chosen as "#12 1.4.0, linux-release"; a branch, tag or commit is typed. */
function endOf(text: string): string {
  return /^#(\d+)\b/.exec(text.trim())?.[1] ?? text.trim();
}

function What({ form, set }: Part) {
  const subject = SUBJECT[form.by];
  const unit = UNIT[form.by];
  return (
    <Group grow align="start">
      <Select
        label="What is wrong"
        data={BY}
        allowDeselect={false}
        value={form.by}
        onChange={(by) => set({ by: by as NewBisect["by"], subject: "", limit: "" })}
      />
      {subject && <TextInput label={subject} value={form.subject} onChange={(e) => set({ subject: e.currentTarget.value })} />}
      {unit && (
        <NumberInput
          label="Bad above"
          placeholder="Halfway between the ends"
          suffix={` ${unit[0]}`}
          min={0}
          value={form.limit}
          onChange={(limit) => set({ limit })}
        />
      )}
    </Group>
  );
}

function Ends({ title, form, set }: { title: string } & Part) {
  const builds = useBuilds(title, { state: "ready", limit: 100 });
  const { data: found } = useTitle(title);
  const names = (builds.data?.items ?? []).map((b) => `#${b.number} ${b.version_name}, ${b.profile}`);
  const named = (end: string) => (/^\d+$/.test(end) ? (names.find((n) => n.startsWith(`#${end} `)) ?? `#${end}`) : end);
  const more = "A build, branch, tag or commit.";
  return (
    <>
      <Group grow align="start">
        <Autocomplete
          label="Good, without it"
          description={more}
          data={names}
          limit={50}
          value={named(form.good)}
          onChange={(good) => set({ good })}
        />
        <Autocomplete
          label="Bad, with it"
          description={more}
          data={names}
          limit={50}
          value={named(form.bad)}
          onChange={(bad) => set({ bad })}
        />
      </Group>
      <Select
        label="Try with"
        description="The profile that is built of each commit. A self-test needs one that this studio's agents can start: for desktops."
        placeholder="The bad build's own; for a self-test one for desktops"
        clearable
        clearButtonProps={{ "aria-label": "The bad build's own, or one for desktops" }}
        data={found?.profiles.map((p) => p.name) ?? []}
        value={form.profile}
        onChange={(profile) => set({ profile })}
      />
    </>
  );
}

function Planned({ plan, ready }: { plan: ReturnType<typeof useBisectPlan>; ready: boolean }) {
  if (!ready) return <p className="dim">Name both ends, and what it takes is shown here.</p>;
  if (plan.error) return <Failure error={plan.error} />;
  if (!plan.data) return <p className="dim">Looking at the commits between them …</p>;
  const { commits, known, rounds, at_once, expected, takes_codes, profile, form } = plan.data;
  return (
    <div className="headline" style={{ marginBottom: 0 }}>
      {plural(commits, "commit")} between them{known > 0 && `, ${known} known already`}. {profile} is built in {plural(rounds, "round")} at
      most, {plural(at_once, "run")} at once{expected !== null && expected !== undefined && expected > 0 && `, about ${duration(expected)}`}
      .{form && ` Its self-test is told that the device is a ${form}.`}{" "}
      {takes_codes ? "Each run makes a build and takes a version code." : "No build is kept and no version code is taken."}
    </div>
  );
}
