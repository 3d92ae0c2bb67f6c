import { Button, Checkbox, Group, Select, TextInput } from "@mantine/core";
import { useMemo, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { duration, plural } from "../../ui/format";
import { Answer, Empty, Failure, PageHead, Panel, SeverityMark } from "../../ui/parts";
import { useRefs, useSource } from "../sources/queries";
import { useTitle } from "../titles/queries";
import { PlanView } from "./PlanView";
import { type NewRuns, type Plan, usePlan, useStart } from "./queries";
import "./runs.css";

/** What would these runs do, and start them. */
export function StartPage() {
  const { title = "" } = useParams();
  const source = useSource(title);
  if (source.error) {
    return (
      <>
        <PageHead title="Start runs" />
        <Panel title="No source yet">
          <Empty command={`bin/rampa source connect ADDRESS --title ${title}`}>
            Runs build from a commit. <Link to={`/titles/${title}/source`}>Connect the repository</Link> first, or upload a folder.
          </Empty>
        </Panel>
      </>
    );
  }
  return <Answer of={source}>{(s) => <Form title={title} branch={s.branch} />}</Answer>;
}

function Form({ title, branch }: { title: string; branch: string }) {
  const [search, setSearch] = useSearchParams();
  const { data: found } = useTitle(title);
  const branches = useRefs(title, "branch");
  const tags = useRefs(title, "tag");
  const go = useNavigate();
  const start = useStart(title);
  const of = search.get("of") ?? `branch/${branch}`;
  const own = branches.data?.items.find((b) => `branch/${b.name}` === of)?.profiles ?? [];
  // Held here, so that a tick shows at once; the address follows.
  const [picked, setPicked] = useState(search.get("profiles")?.split(",").filter(Boolean) ?? null);
  const profiles = picked ?? own;
  const [note, setNote] = useState("");
  const [key] = useState(() => crypto.randomUUID());
  const asked: NewRuns = useMemo(() => ({ profiles, of, step_variables: "", version_name: "", note: "" }), [profiles.join(","), of]); // eslint-disable-line react-hooks/exhaustive-deps
  const plan = usePlan(title, asked);
  const set = (name: string, value: string) =>
    setSearch((was) => new URLSearchParams([...[...was].filter(([k]) => k !== name), [name, value]]), { replace: true });
  const toggle = (name: string) => {
    const next = profiles.includes(name) ? profiles.filter((p) => p !== name) : [...profiles, name];
    setPicked(next);
    set("profiles", next.join(","));
  };
  const plans = profiles.length ? (plan.data?.plans ?? []).filter((p) => profiles.includes(p.profile)) : [];
  const stopped = plans.filter((p) => p.stops.length);
  const ready = plans.length === profiles.length && profiles.length > 0 && stopped.length === 0 && !plan.error;
  const refs = [
    { group: "Branches", items: (branches.data?.items ?? []).map((r) => ({ value: `branch/${r.name}`, label: r.name })) },
    { group: "Tags", items: (tags.data?.items ?? []).map((r) => ({ value: `tag/${r.name}`, label: r.name })) },
  ];
  return (
    <>
      <PageHead
        title="Start runs"
        aside={
          <Button
            disabled={!ready}
            loading={start.isPending}
            onClick={() =>
              start.mutate(
                { asked: { ...asked, note }, key },
                {
                  onSuccess: (made) =>
                    void go(made.items.length === 1 ? `/titles/${title}/runs/${made.items[0]!.number}` : `/titles/${title}/runs`),
                },
              )
            }
          >
            {ready ? `Start ${plural(profiles.length, "run")}` : "Start"}
          </Button>
        }
      >
        {plans[0] ? (
          <>
            {found?.name} at <span className="mono">{plans[0].commit.slice(0, 10)}</span> “{plans[0].subject}”
          </>
        ) : (
          "Choose what to build."
        )}
      </PageHead>
      {start.error && <Failure error={start.error} />}
      <div className="start-halves">
        <Panel title="What">
          <Select
            label="Branch or tag"
            data={refs}
            value={of}
            allowDeselect={false}
            searchable
            onChange={(v) => {
              if (!v) return;
              setPicked(null);
              setSearch({ of: v }, { replace: true });
            }}
          />
          <fieldset style={{ border: 0, padding: 0, margin: "14px 0 0" }}>
            <legend style={{ fontSize: 13.5, fontWeight: 500, marginBottom: 6 }}>Profiles</legend>
            {(found?.profiles ?? []).map((p) => (
              <Checkbox
                key={p.name}
                size="xs"
                my={6}
                label={
                  <>
                    {p.name}{" "}
                    <span className="dim">
                      {p.platform_title}, {p.purpose}
                    </span>
                  </>
                }
                checked={profiles.includes(p.name)}
                onChange={() => toggle(p.name)}
              />
            ))}
          </fieldset>
          <TextInput
            mt="md"
            label="Note"
            description="Stands with the runs and their builds."
            value={note}
            onChange={(e) => setNote(e.currentTarget.value)}
          />
        </Panel>
        <div style={{ display: "grid", gap: 16, alignContent: "start", minWidth: 0 }}>
          {plan.error ? <Failure error={plan.error} retry={() => void plan.refetch()} /> : null}
          {profiles.length === 0 && (
            <Panel title="Plan">
              <Empty>Choose a profile: its plan is shown here before anything starts.</Empty>
            </Panel>
          )}
          {plans.map((p) => (
            <Panel key={p.profile} title={p.profile} aside={<Aside plan={p} />}>
              <PlanView plan={p} />
            </Panel>
          ))}
        </div>
      </div>
    </>
  );
}

function Aside({ plan }: { plan: Plan }) {
  if (plan.stops.length) return <SeverityMark severity="blocker" />;
  return (
    <Group gap={10}>
      {plan.native && <span>{plan.native.needed ? "native part changed" : "only content changed"}</span>}
      <span>{plan.expected ? `about ${duration(plan.expected)}` : "it never ran before"}</span>
    </Group>
  );
}
