import { Button, Group, Modal } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { call, type Schemas } from "../../app/http";
import { bytes, duration, plural } from "../../ui/format";
import { Answer, Empty, Failure, PageHead, Panel, When } from "../../ui/parts";

type Agent = Schemas["Agent"];

/** Which machines execute runs, what can they do, what do they work on? */
export function AgentsPage() {
  const agents = useQuery({ queryKey: ["agents"], queryFn: () => call<Schemas["Page_Agent_"]>("/agents"), refetchInterval: 3_000 });
  return (
    <>
      <PageHead title="Agents">Machines that execute runs. Each says itself what it can do.</PageHead>
      <Answer of={agents} rows={4}>
        {({ items }) =>
          items.length === 0 ? (
            <Panel title="Agents">
              <Empty command="bin/rampa agent enrol NAME">
                No agent is there, so every run waits. Enrol one; what it prints goes to a machine with the toolchain:
              </Empty>
            </Panel>
          ) : (
            <div style={{ display: "grid", gap: 16 }}>
              {items.map((a) => (
                <One key={a.name} agent={a} />
              ))}
            </div>
          )
        }
      </Answer>
    </>
  );
}

const TONE: Record<string, string> = {
  idle: "var(--r-done)",
  working: "var(--r-accent)",
  paused: "var(--r-warning)",
  lost: "var(--r-blocker)",
};
const BARE: Record<string, string> = {
  user: "no sandbox: programs of a run have a user of their own, and see the machine",
  none: "no sandbox: programs of a run can do what the agent's user can",
};
const MARK: Record<string, string> = { idle: "○", working: "▸", paused: "‖", lost: "✗", stopped: "–" };

function One({ agent }: { agent: Agent }) {
  const queries = useQueryClient();
  const onSuccess = () => queries.invalidateQueries({ queryKey: ["agents"] });
  const pause = useMutation({
    mutationFn: () => call<Agent>(`/agents/${agent.name}`, { method: "PATCH", body: { paused: !agent.paused } }),
    onSuccess,
  });
  const remove = useMutation({ mutationFn: () => call<void>(`/agents/${agent.name}`, { method: "DELETE" }), onSuccess });
  const [asking, ask] = useState(false);
  const can = agent.abilities;
  const act = (name: string) => agent.allowed_actions.find((a) => a.name === name);
  const paused = act(agent.paused ? "resume" : "pause");
  return (
    <Panel
      title={
        <>
          {agent.name}{" "}
          <span style={{ color: TONE[agent.state], fontSize: 13.5, fontFamily: "var(--mantine-font-family)" }}>
            <span aria-hidden>{MARK[agent.state]}</span> {agent.state}
          </span>
        </>
      }
      aside={
        <>
          heard of <When at={agent.seen_at} />{" "}
          <Button
            size="compact-xs"
            variant="default"
            disabled={!paused?.possible}
            title={paused?.reason}
            loading={pause.isPending}
            onClick={() => pause.mutate()}
          >
            {agent.paused ? "Let it go on" : "Pause"}
          </Button>{" "}
          <Button
            size="compact-xs"
            variant="default"
            disabled={!act("remove")?.possible}
            title={act("remove")?.reason}
            onClick={() => ask(true)}
          >
            Remove …
          </Button>
        </>
      }
    >
      {(pause.error ?? remove.error) && <Failure error={pause.error ?? remove.error} />}
      <Modal opened={asking} onClose={() => ask(false)} title={`Remove the agent ${agent.name}?`}>
        <p>
          Its key opens nothing any more, at once; to come back it must be enrolled again. What it did keeps its name.
          {agent.runs.length > 0 && ` It is working on ${plural(agent.runs.length, "run")}, which another agent then begins again.`}
        </p>
        <Group justify="flex-end">
          <Button variant="default" onClick={() => ask(false)}>
            Keep it
          </Button>
          <Button color="red" loading={remove.isPending} onClick={() => remove.mutate()}>
            Remove it
          </Button>
        </Group>
      </Modal>
      <dl className="facts">
        <dt>Works on</dt>
        <dd>
          {agent.runs.length === 0 && <span className="dim">nothing, of {agent.at_once} at once</span>}
          {agent.runs.map((r) => (
            <div key={`${r.title} ${r.run}`}>
              <Link to={`/titles/${r.title}/runs/${r.run}`}>
                {r.title} run {r.run}
              </Link>
              , {r.profile}: {r.step || "begins"}, {duration(r.seconds)}
            </div>
          ))}
        </dd>
        <dt>Toolchains</dt>
        <dd>
          {can.toolchains!.length === 0 && <span className="dim">none</span>}
          {can.toolchains!.map((t) => (
            <div key={t.version}>
              {t.name} {t.version} <span className="dim">for {t.platforms!.join(", ") || "all platforms"};</span>{" "}
              {t.licences!.length ? (
                <span className="dim">accepted: {t.licences!.join("; ")}</span>
              ) : (
                <span style={{ color: "var(--r-warning)" }}>▲ no licence accepted</span>
              )}
            </div>
          ))}
        </dd>
        <dt>Isolation</dt>
        <dd>
          {can.isolation === "sandbox" ? (
            "programs of a run have a sandbox of their own"
          ) : (
            <span style={{ color: "var(--r-warning)" }}>▲ {BARE[can.isolation ?? "none"]}</span>
          )}
          <span className="dim">
            {can.kernel_limits ? "; the kernel holds their memory and number" : "; the agent watches their memory"}
          </span>
        </dd>
        <dt>Machine</dt>
        <dd>
          {plural(can.cores, "core")}, {bytes(can.memory)} of memory, {bytes(can.disk)} of disk free · {can.system}
          {can.platforms!.length > 0 && <> · only for {can.platforms!.join(", ")}</>}
        </dd>
        <dt>So far</dt>
        <dd>
          {plural(agent.done, "run")} done; started <When at={agent.started_at} />, enrolled by {agent.enrolled_by}
        </dd>
      </dl>
    </Panel>
  );
}
