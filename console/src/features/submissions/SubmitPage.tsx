import { Button, Checkbox, Group, NumberInput, Radio, Select, Stack, Textarea, TextInput } from "@mantine/core";
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { plural } from "../../ui/format";
import { Answer, Command, Failure, PageHead, Panel } from "../../ui/parts";
import { useBuilds } from "../builds/queries";
import { useReleases } from "../releases/queries";
import { useTitle } from "../titles/queries";
import { PlanPanel } from "./PlanPanel";
import { type Plan, usePlan, useSubmission, useSubmit } from "./queries";

/** What does each storefront need, what is missing, and what happens when it is sent? */
export function SubmitPage() {
  const { title = "" } = useParams();
  const { data: named } = useTitle(title);
  const [query, setQuery] = useSearchParams();
  const build = Number(query.get("build")) || undefined;
  const release = Number(query.get("release")) || undefined;
  const to = query.get("to") ?? "";
  const replaces = Number(query.get("replaces")) || undefined;
  const plan = usePlan(title, { build, release, to, replaces });
  const what = build ? `${title}#${build}` : release ? `--release ${release} --title ${title}` : `${title}#N`;
  return (
    <>
      <PageHead title={`Submit ${named?.name ?? title}`} aside={<Command text={`bin/rampa submission plan ${what}`} />}>
        Nothing is sent before you say so, and nothing at all while something is missing.
      </PageHead>
      <Stack gap="md">
        {replaces && <Mended title={title} number={replaces} />}
        <What
          alone={Boolean(replaces)}
          title={title}
          build={build}
          release={release}
          choose={(key, value) => {
            const next = new URLSearchParams(query);
            next.delete("build");
            next.delete("release");
            next.set(key, value);
            setQuery(next, { replace: true });
          }}
        />
        {(build || release) && (
          <Answer of={plan} rows={8}>
            {(data) => (
              <>
                {data.items.map((item) => (
                  <PlanPanel key={`${item.storefront} ${item.build}`} title={title} item={item} />
                ))}
                <Send key={data.notes} plan={data} build={build} release={release} replaces={replaces} again={() => void plan.refetch()} />
              </>
            )}
          </Answer>
        )}
      </Stack>
    </>
  );
}

/** What the new one mends, and what was said of it. */
function Mended({ title, number }: { title: string; number: number }) {
  const old = useSubmission(title, number);
  const last = old.data?.reviewers.at(-1);
  return (
    <div className="headline silent" style={{ marginBottom: 0 }}>
      It mends <Link to={`/titles/${title}/submissions/${number}`}>submission {number}</Link>
      {old.data && ` at ${old.data.storefront_title}`}; the reviewers are told what changed.
      {last && (
        <div className="dim">
          {last.by}
          {last.about && ` on ${last.about}`}: {last.text}
        </div>
      )}
    </div>
  );
}

interface WhatProps {
  title: string;
  /** One build mends one submission. */
  alone: boolean;
  build?: number;
  release?: number;
  choose: (key: "build" | "release", value: string) => void;
}

function What({ title, alone, build, release, choose }: WhatProps) {
  const builds = useBuilds(title, { state: "ready", limit: 100 });
  const releases = useReleases(title);
  const ready = (builds.data?.items ?? []).filter((b) => b.profile.includes("release") || b.number === build);
  return (
    <Panel title="What is submitted">
      <Group gap="md" align="end">
        {!alone && (
          <Select
            label="A release"
            description="All its builds, each to its own storefront"
            placeholder="Choose a release"
            w={300}
            data={(releases.data?.items ?? []).map((r) => ({
              value: String(r.number),
              label: `${r.number}: ${r.version_name}, ${plural(r.builds.length, "build")}`,
            }))}
            value={release ? String(release) : null}
            onChange={(v) => v && choose("release", v)}
          />
        )}
        <Select
          label={alone ? "The new build" : "Or one build"}
          description="To the storefront of its profile"
          placeholder="Choose a build"
          searchable
          w={300}
          data={ready.map((b) => ({ value: String(b.number), label: `#${b.number} ${b.version_name}, ${b.profile}` }))}
          value={build ? String(build) : null}
          onChange={(v) => v && choose("build", v)}
        />
      </Group>
    </Panel>
  );
}

interface SendProps {
  plan: Plan;
  build?: number;
  release?: number;
  replaces?: number;
  again: () => void;
}

function Send({ plan, build, release, replaces, again }: SendProps) {
  const [notes, setNotes] = useState(plan.notes);
  const [going, setGoing] = useState<Plan["going"]>(plan.going === "at-a-moment" ? "by-an-act" : plan.going);
  const [at, setAt] = useState("");
  const [share, setShare] = useState<number>(plan.share);
  const [wait, setWait] = useState(false);
  const [key] = useState(() => crypto.randomUUID?.() ?? `submit-${Date.now()}-${Math.random()}`);
  const submit = useSubmit(plan.title);
  const go = useNavigate();
  const open = plan.items.filter((item) => !item.there || item.there === replaces);
  const missing = open.filter((item) => !item.ready);
  const whole = open.filter((item) => !item.abilities.includes("share"));
  const cannot = share < 100 && whole.length > 0;
  const may = plan.allowed_actions.find((a) => a.name === "submit");
  const body = {
    build: build ?? null,
    release: release ?? null,
    to: replaces ? [...new Set(plan.items.map((i) => i.storefront))] : [],
    notes,
    going: going as "at-once" | "by-an-act" | "at-a-moment",
    at: going === "at-a-moment" && at ? new Date(at).toISOString() : null,
    share,
    wait,
    replaces: replaces ?? null,
  };
  const send = () =>
    submit.mutate(
      { body, key },
      {
        onSuccess: (made) =>
          void go(
            made.items.length === 1 ? `/titles/${plan.title}/submissions/${made.items[0]!.number}` : `/titles/${plan.title}/submissions`,
          ),
      },
    );
  return (
    <Panel title="What they are told, and when it goes live">
      <Stack gap="sm" maw={720}>
        <Textarea
          label="Notes for the reviewers"
          description={
            plan.notes ? "As they were last; players do not see them." : "What to look at, how to get there; players do not see them."
          }
          autosize
          minRows={2}
          value={notes}
          onChange={(e) => setNotes(e.currentTarget.value)}
        />
        <Radio.Group label="When it passed" value={going} onChange={(v) => setGoing(v as typeof going)}>
          <Group gap="lg" mt={4}>
            <Radio value="by-an-act" label="A person lets it go live" />
            <Radio value="at-once" label="It goes live at once" />
            <Radio value="at-a-moment" label="It goes live at a moment" />
          </Group>
        </Radio.Group>
        {going === "at-a-moment" && (
          <TextInput
            type="datetime-local"
            label="The moment, in this browser's zone"
            w={260}
            value={at}
            onChange={(e) => setAt(e.currentTarget.value)}
          />
        )}
        <Group gap="lg" align="end">
          <NumberInput
            label="For how many players at first"
            description={
              whole.length
                ? `${[...new Set(whole.map((i) => i.storefront_title))].join(", ")}: all players, or none`
                : "Of each storefront's players"
            }
            suffix=" %"
            min={1}
            max={100}
            w={260}
            value={share}
            onChange={(v) => setShare(Number(v) || 100)}
          />
          {plan.items.length > 1 && (
            <Checkbox
              label="None goes live before the slowest of them passed"
              checked={wait}
              onChange={(e) => setWait(e.currentTarget.checked)}
            />
          )}
        </Group>
        {submit.error && <Failure error={submit.error} retry={again} />}
        {missing.length > 0 && (
          <div className="headline failed" style={{ marginBottom: 0 }}>
            Something is missing for {missing.map((i) => `${i.storefront_title} (#${i.build})`).join(", ")}: nothing is sent until it is
            there.
          </div>
        )}
        {cannot && (
          <div className="headline failed" style={{ marginBottom: 0 }}>
            {[...new Set(whole.map((i) => i.storefront_title))].join(" and ")} cannot give it to {share} % of the players: say 100 %, or
            send those apart.
          </div>
        )}
        <Group gap="sm">
          <Button
            disabled={!may?.possible || cannot || missing.length > 0 || open.length === 0}
            title={may?.reason}
            loading={submit.isPending}
            onClick={send}
          >
            {open.length === 0
              ? "All of it is there already"
              : `Send ${plural(open.length, "build")} to ${[...new Set(open.map((i) => i.storefront_title))].join(", ")}`}
          </Button>
          <Button variant="default" onClick={again}>
            Look again
          </Button>
        </Group>
      </Stack>
    </Panel>
  );
}
